import { type Totals, totalsOf } from './explained.ts';
import { type Judged, judge, type Kind, separates } from './judge.ts';
import type { Slots } from './requests/facetCounts.ts';
import { type FacetSums, halfOf, plusSums, type SetSums } from './requests/facetSums.ts';
import type { Clause, RequestSet } from './requests/requestSet.ts';

/** A set of requests that may explain something. */
export interface Candidate {
  readonly set: RequestSet;
  readonly judged: Judged;
  readonly sums: SetSums;
  /** Whether it was chosen among many for how well it separates: half of the requests say how sure it is then. */
  readonly half: boolean;
}

/** Values of one facet that are merged, at most. */
const MOST_MERGED = 8;
/** Of a facet with more values each stands for itself. */
const MOST_MERGEABLE = 200;

/**
 * Every value of every facet, values of one facet that separate better together, and numbers cut where they separate best. What is chosen among
 * many is as sure as the same choice among one half of the requests shows in the other half.
 */
export function candidates(sums: FacetSums, kind: Kind): Candidate[] {
  const all = sums.all();
  const requests = totalsOf(all);
  const penalty = Math.log(Math.max(2, requests.nA + requests.nB));
  const judged = (set: RequestSet, of: SetSums, half: boolean): Candidate => ({
    set,
    sums: of,
    half,
    judged: judge(all, of, kind, { half }),
  });
  return sums.slots.flatMap((slots): Candidate[] => {
    const { facet, several } = slots.of;
    const chosen = (best: (part: Part) => Chosen | undefined): Candidate[] => {
      const [ofAll, ofHalf] = [best(WHOLE), best(EVEN)];
      if (!ofAll || !ofHalf) return [];
      const { chance } = judge(all, sums.of(ofHalf.slots), kind, { half: true });
      const it = judged([ofAll.clause], sums.of(ofAll.slots), true);
      return [{ ...it, judged: { ...it.judged, chance } }];
    };
    if (slots.type === 'numbers') return chosen((part) => bestCut(sums, slots, kind, !several, part));
    const single = [...slots.slots].map(([value, slot]) => judged([{ facet, values: [value] }], sums.of([slot]), false));
    if (several || single.length < 3 || single.length > MOST_MERGEABLE) return single;
    return [...single, ...chosen((part) => bestMerge(sums, slots, kind, penalty, part))];
  });
}

/** A clause, and the slots of the requests for which it holds. */
interface Chosen {
  readonly clause: Clause;
  readonly slots: readonly number[];
}

/** Which requests are looked at when one of many is chosen. */
type Part = (of: SetSums) => SetSums;
const WHOLE: Part = (of) => of;
const EVEN: Part = (of) => halfOf(of, 'even');

/** Values in the order of what each explains of a request: the best set of them is a beginning of that list (Fisher, 1958; Breiman, 1984). */
function bestMerge(
  sums: FacetSums,
  { of, slots }: Extract<Slots, { type: 'values' }>,
  kind: Kind,
  penalty: number,
  part: Part,
): Chosen | undefined {
  const all = part(sums.all());
  const ordered = [...slots]
    .map(([value, slot]) => ({ value, slot, rate: rateOf(totalsOf(part(sums.of([slot]))), kind) }))
    .filter(({ rate }) => Number.isFinite(rate))
    .sort((a, b) => b.rate - a.rate);
  let best = { deviance: 0, count: 0 };
  for (let count = 1; count <= Math.min(MOST_MERGED, ordered.length - 1); count++) {
    const deviance = separates(all, part(sums.of(ordered.slice(0, count).map(({ slot }) => slot))), kind);
    // One value more has to say more than chance would.
    if (deviance > best.deviance + (best.count > 0 ? penalty * (count - best.count) : 0)) best = { deviance, count };
  }
  if (best.count < 2) return undefined;
  const chosen = ordered.slice(0, best.count);
  return { clause: { facet: of.facet, values: chosen.map(({ value }) => value).sort() }, slots: chosen.map(({ slot }) => slot) };
}

function rateOf({ nA, nB, sumA, sumB }: Totals, { byOutcome }: Kind): number {
  if (byOutcome) return nA / (nA + nB);
  if (nA === 0) return Number.NEGATIVE_INFINITY;
  return sumA / nA - (nB > 0 ? sumB / nB : 0);
}

/** Where numbers separate best: from a bound on, or up to it. */
function bestCut(
  sums: FacetSums,
  { of, bounds, first }: Extract<Slots, { type: 'numbers' }>,
  kind: Kind,
  downToo: boolean,
  part: Part,
): Chosen | undefined {
  const all = part(sums.all());
  const slots = [...bounds, 0].map((_, at) => first + at);
  let best: Chosen | undefined;
  let most = 0;
  const consider = (chosen: readonly number[], chosenSums: SetSums, clause: () => Clause) => {
    const deviance = separates(all, part(chosenSums), kind);
    if (deviance <= most) return;
    best = { slots: chosen, clause: clause() };
    most = deviance;
  };
  const own = slots.map((slot) => sums.of([slot]));
  // The sums of all slots from each one to the last, each from the one after it.
  const upwards: SetSums[] = [...own];
  for (let at = upwards.length - 2; at >= 0; at--) upwards[at] = plusSums(own[at], upwards[at + 1]);
  let downwards: SetSums | undefined;
  for (const [at, bound] of bounds.entries()) {
    downwards = downwards ? plusSums(downwards, own[at]) : own[at];
    consider(slots.slice(at + 1), upwards[at + 1], () => ({ facet: of.facet, least: bound }));
    if (downToo) consider(slots.slice(0, at + 1), downwards, () => ({ facet: of.facet, most: below(of.values, bound) }));
  }
  return best;
}

/** The largest value below a bound. */
function below(values: ReadonlyMap<string, number>, bound: number): number {
  let most = Number.NEGATIVE_INFINITY;
  for (const text of values.keys()) {
    const value = Number(text);
    if (value < bound && value > most) most = value;
  }
  return most;
}
