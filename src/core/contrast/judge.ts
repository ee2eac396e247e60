import {
  attributableShare,
  chanceOf,
  type Estimate,
  type Explained,
  explainedOf,
  jackknife,
  minus,
  type Totals,
  totalsOf,
} from './explained.ts';
import { halfOf, logsOf, type SetSums } from './requests/facetSums.ts';
import {
  type Cell,
  type Failing,
  failingShiftDeviance,
  interactionDeviance,
  shiftDeviance,
  tableDeviance,
} from './statistics/deviance.ts';
import { chiSquareTail, fisherTail } from './statistics/tails.ts';

/** How two populations are held against each other. */
export interface Kind {
  /** Whether A was chosen by its outcome, such as the slow ones or those that failed. */
  readonly byOutcome: boolean;
  readonly outcome: 'duration' | 'failures';
  /** How many requests one that was read represents at most: 1, but for a sample. */
  readonly mostWeight: number;
}

/** What is known of one set of requests. */
export interface Judged {
  /** In the outcome's unit; of A chosen by its outcome, the share of A. */
  readonly explained: Estimate;
  readonly split: Explained;
  /** How well the set separates. */
  readonly deviance: number;
  /** That it explains this for nothing. */
  readonly chance: number;
  readonly totals: Totals;
}

/** Counts below this are held against chance exactly. */
const EXACT_BELOW = 400;

/**
 * @param inflation the variance of the counts of the set from minute to minute, in units of what chance alone gives; at least 1
 * @param half whether the set was found among the requests of even groups: then those of odd groups say how sure it is
 */
export function judge(all: SetSums, set: SetSums, kind: Kind, { inflation = 1, half = false } = {}): Judged {
  const explained = explains(all, set, kind);
  const totals = totalsOf(set);
  const split = splitOf(totalsOf(all), totals, kind);
  const [ofAll, ofSet] = half ? [halfOf(all, 'odd'), halfOf(set, 'odd')] : [all, set];
  return { explained, split, deviance: devianceOf(all, set, kind, split), chance: chance(ofAll, ofSet, kind, inflation), totals };
}

/** What a set explains, and how sure that is. */
export function explains(all: SetSums, set: SetSums, kind: Kind): Estimate {
  return jackknife(all, set, kind.byOutcome ? attributableShare : (whole, part) => explainedOf(whole, part).whole);
}

/** How well a set separates; 0 where it explains nothing. It is asked of many sets of which one is judged. */
export function separates(all: SetSums, set: SetSums, kind: Kind): number {
  const split = splitOf(totalsOf(all), totalsOf(set), kind);
  return split.whole > 0 ? devianceOf(all, set, kind, split) : 0;
}

function splitOf(all: Totals, set: Totals, { byOutcome }: Kind): Explained {
  return byOutcome ? { whole: attributableShare(all, set), behaviour: 0, mix: 0 } : explainedOf(all, set);
}

function chance(all: SetSums, set: SetSums, kind: Kind, inflation: number): number {
  const inSet = totalsOf(set);
  const rest = minus(totalsOf(all), inSet);
  if (kind.byOutcome) {
    if (attributableShare(totalsOf(all), inSet) <= 0) return 1;
    const smallest = Math.min(inSet.nA, inSet.nB, rest.nA, rest.nB);
    if (smallest < EXACT_BELOW && inflation <= 1.05 && kind.mostWeight === 1)
      return fisherTail(inSet.nA, inSet.nA + inSet.nB, inSet.nA + rest.nA, inSet.nA + inSet.nB + rest.nA + rest.nB);
    // Of a sample the counts are no more certain than if each request represented as many as any does.
    return 0.5 * chiSquareTail(tableDeviance(inSet.nA, inSet.nB, rest.nA, rest.nB) / (inflation * kind.mostWeight));
  }
  const figure = (whole: Totals, part: Totals) => explainedOf(whole, part).whole;
  const inflated = (it: Estimate): Estimate => ({ ...it, error: it.error * Math.sqrt(inflation) });
  const ofOutcome = chanceOf(inflated(jackknife(all, set, figure)));
  if (kind.outcome === 'failures') {
    // A handful of requests is no normal distribution: the counts themselves must say so too.
    const split = explainedOf(totalsOf(all), inSet);
    return Math.max(ofOutcome, 0.5 * chiSquareTail(devianceOf(all, set, kind, split) / (inflation * kind.mostWeight)));
  }
  // A few very long requests must not decide: their logarithms have to say the same.
  const ofLog = chanceOf(inflated(jackknife(logsOf(all), logsOf(set), figure)));
  return Math.max(ofOutcome, ofLog);
}

function devianceOf(all: SetSums, set: SetSums, { byOutcome, outcome }: Kind, { behaviour, mix }: Explained): number {
  const inSet = totalsOf(logsOf(set));
  const rest = minus(totalsOf(logsOf(all)), inSet);
  const ofCounts = tableDeviance(inSet.nA, inSet.nB, rest.nA, rest.nB);
  if (byOutcome) return ofCounts;
  // [in A, in B, out A, out B]; of failures the second channel holds whether each failed.
  const cells = [
    { n: inSet.nA, sum: inSet.sumA, squares: set.logSquares[0] },
    { n: inSet.nB, sum: inSet.sumB, squares: set.logSquares[1] },
    { n: rest.nA, sum: rest.sumA, squares: all.logSquares[0] - set.logSquares[0] },
    { n: rest.nB, sum: rest.sumB, squares: all.logSquares[1] - set.logSquares[1] },
  ] as const;
  const isDuration = outcome === 'duration';
  const within = isDuration
    ? shiftDeviance(cells[0], cells[2]) + shiftDeviance(cells[1], cells[3])
    : failingDeviance(cells[0], cells[2]) + failingDeviance(cells[1], cells[3]);
  // What one side lacks has not changed there: it is held against the rest of the other side.
  if (inSet.nA === 0 || inSet.nB === 0) return within;
  const ofBehaviour = isDuration
    ? interactionDeviance(cells)
    : failingShiftDeviance([failing(cells[0]), failing(cells[1]), failing(cells[2]), failing(cells[3])]);
  // More of them make a difference only where they are different: both must be seen.
  const ofMix = Math.min(ofCounts, within);
  const whole = Math.abs(behaviour) + Math.abs(mix);
  return whole > 0 ? (Math.abs(behaviour) * ofBehaviour + Math.abs(mix) * ofMix) / whole : 0;
}

function failing({ n, sum }: Cell): Failing {
  return { bad: Math.max(0, sum), good: Math.max(0, n - sum) };
}

function failingDeviance(one: Cell, other: Cell): number {
  const [a, b] = [failing(one), failing(other)];
  return tableDeviance(a.bad, a.good, b.bad, b.good);
}
