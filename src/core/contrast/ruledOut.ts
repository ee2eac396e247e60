import { type Totals, totalsOf, upperBound } from './explained.ts';
import { explains, type Kind } from './judge.ts';
import type { Found } from './pairs.ts';
import type { ContrastSource } from './requests/contrastSource.ts';
import { type Expected, FacetSums, minusSums } from './requests/facetSums.ts';
import { type Facet, facetKey } from './requests/requestSet.ts';
import { within } from './stack.ts';

/** A facet of which no value makes a difference, or next to none. */
export interface RuledOut {
  readonly facet: Facet;
  /** Different values. */
  readonly values: number;
  /** Its values explain less than this beside the first row, 99 times in 100. */
  readonly atMost: number;
}

/** What may still explain more than this is not listed. */
const WORTH_SAYING = 0.3;
/** A side is in a set when nearly all of its requests are. */
const NEARLY_ALL = 0.98;

interface Known {
  readonly sums: FacetSums;
  /** What explains most, if anything does. */
  readonly leading: Found | undefined;
  /** What 1 means. */
  readonly scale: number;
  readonly totals: Totals;
}

/**
 * What no value of a facet explains more of, for sure, beside what explains most: the requests of the first row are left out, so that what goes
 * along with it by chance does not count. Those that surely explain least come first.
 */
export async function ruledOut(
  source: ContrastSource,
  kind: Kind,
  expected: Expected,
  { sums, leading, scale, totals }: Known,
): Promise<RuledOut[]> {
  const sets = leading ? [leading.set, ...leading.twins] : [];
  const told = new Set(sets.flatMap((set) => set.map(({ facet }) => facetKey(facet))));
  // The requests of the first row are few as a rule: what is left is all without them.
  const taken = leading && new FacetSums(sums.slots, sums.count, expected);
  if (leading) await within(source, leading.set).scan((block) => taken?.add(block));
  const all = taken ? minusSums(sums.all(), taken.all()) : sums.all();
  const left = (slot: number) => (taken ? minusSums(sums.of([slot]), taken.of([slot])) : sums.of([slot]));
  const share = kind.byOutcome && totals.nA > 0 ? totalsOf(all).nA / totals.nA : 1;
  // None of so many requests: still one in a hundred times there would be none at this share.
  const least = kind.byOutcome ? -Math.log(0.01) / totals.nA : 0;
  const found: RuledOut[] = [];
  for (const slots of sums.slots) {
    const { facet, values } = slots.of;
    if (values.size < 2 || told.has(facetKey(facet))) continue;
    const indices = slots.type === 'values' ? [...slots.slots.values()] : [...slots.bounds, 0].map((_, at) => slots.first + at);
    // A side that is all of one value, as after a finished roll-out, cannot be told from it, unless the first row leaves nothing that it could explain.
    const own = indices.map((slot) => sums.totals(slot));
    if (!leading && own.some(({ nA, nB }) => nA >= NEARLY_ALL * totals.nA !== nB >= NEARLY_ALL * totals.nB)) continue;
    const most = Math.max(...indices.map((slot) => upperBound(explains(all, left(slot), kind))));
    const atMost = Math.max(least, (most * share) / scale);
    if (atMost < WORTH_SAYING) found.push({ facet, values: values.size, atMost: Math.max(0, atMost) });
  }
  return found.sort((a, b) => a.atMost - b.atMost);
}
