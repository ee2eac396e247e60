import { ascending, median, quantileSorted } from 'd3-array';
import type { Thread } from './groups.ts';

/** A step that things usually go through. */
export interface LoomStep {
  readonly step: number;
  /** The index of the step that it follows: the nearest before it by the same service, or else by any; -1 for none. */
  readonly after: number;
  /** Of the threads that have the step that it follows, the share that has this one, too. */
  readonly share: number;
  /** Time since the step that it follows, milliseconds: the median and where 9 of 10 lie; null for the first, or with too few. */
  readonly usual: { readonly median: number; readonly low: number; readonly high: number } | null;
  /** How often it comes in a thread, in 19 of 20. */
  readonly times: number;
}

export type How = 'late' | 'never' | 'twice' | 'order';

/** Something in a thread that is not as usual. */
export interface Deviation {
  readonly how: How;
  /** Index among the steps of the loom. */
  readonly at: number;
}

/** A thread laid over the steps. */
export interface Stitched {
  readonly key: string;
  /** By step of the loom when it first came, epoch milliseconds; NaN when it did not. */
  readonly first: readonly number[];
  /** By step the time since the one that it follows; NaN where either is missing. */
  readonly since: readonly number[];
  readonly counts: readonly number[];
  readonly deviations: readonly Deviation[];
}

/** A step belongs to the usual way when so many of the threads have it; more steps are left out. */
const LEAST_SHARE = 0.15;
const MOST_STEPS = 10;
/** Of those that came so far: a step that fewer go on to may be left out without being missing. */
const EXPECTED = 0.97;
/** Modified z-score (Iglewicz and Hoaglin, 1993) of the logarithm, and twice the median at least. */
const FAR = 3.5;
const TWICE = 2;
/** Half a tenth in the logarithm is no spread at all. */
const GRAIN = 0.1;
const ENOUGH = 12;
const RARE_ORDER = 0.02;
/** A step follows another when so many that have it have the other, and when it comes later in so many. */
const FOLLOWS = 0.8;
const LATER = 0.95;

/**
 * The usual steps, in the order in which things go through them.
 *
 * @param threads that say what is usual @param serviceOf who writes a step
 */
export function usualSteps(threads: readonly Thread[], serviceOf: (step: number) => string): LoomStep[] {
  const having = new Map<number, number>();
  const places = new Map<number, number[]>();
  for (const { steps, times } of threads) {
    const seen = new Set<number>();
    for (const [at, step] of steps.entries()) {
      if (seen.has(step)) continue;
      seen.add(step);
      having.set(step, (having.get(step) ?? 0) + 1);
      const list = places.get(step) ?? [];
      places.set(step, list);
      if (list.length < 5_000) list.push(times[at] - times[0]);
    }
  }
  const chosen = [...having]
    .filter(([, count]) => count >= LEAST_SHARE * threads.length)
    .sort((a, b) => b[1] - a[1] || a[0] - b[0])
    .slice(0, MOST_STEPS)
    .map(([step]) => step);
  const order = inOrder(chosen, threads, places);
  const laid = threads.map((thread) => lay(thread, order));
  return order.map((step, at) => {
    const after = followed(at, order, laid, serviceOf);
    const before = after < 0 ? laid : laid.filter(({ first }) => !Number.isNaN(first[after]));
    const reached = before.filter(({ first }) => !Number.isNaN(first[at]));
    const sinces = after < 0 ? [] : reached.map(({ first }) => first[at] - first[after]).filter((it) => it >= 0);
    const counts = reached.map(({ counts: of }) => of[at]).sort(ascending);
    return {
      step,
      after,
      share: reached.length / Math.max(1, before.length),
      usual: sinces.length < ENOUGH ? null : bandOf(sinces),
      times: counts.length === 0 ? 1 : Math.max(1, quantileSorted(counts, 0.95)!),
    };
  });
}

type Laid = Pick<Stitched, 'key' | 'first' | 'counts'>;

/** The index of the step that a step follows: what it waits for is most likely the last thing that its own service did. */
function followed(at: number, order: readonly number[], laid: readonly Laid[], serviceOf: (step: number) => string): number {
  const candidates: { before: number; own: boolean; since: number }[] = [];
  const reached = laid.filter(({ first }) => !Number.isNaN(first[at]));
  for (let before = 0; before < at; before++) {
    const sinces = reached.map(({ first }) => first[at] - first[before]).filter((it) => !Number.isNaN(it));
    if (sinces.length < FOLLOWS * reached.length || sinces.length === 0) continue;
    if (sinces.filter((it) => it >= 0).length < LATER * sinces.length) continue;
    candidates.push({ before, own: serviceOf(order[before]) === serviceOf(order[at]), since: median(sinces)! });
  }
  candidates.sort((a, b) => Number(b.own) - Number(a.own) || a.since - b.since || b.before - a.before);
  return candidates[0]?.before ?? -1;
}

/** Steps so that of two that a thread has, the one that comes first more often stands first; by their usual place where that does not tell. */
function inOrder(steps: readonly number[], threads: readonly Thread[], places: ReadonlyMap<number, number[]>): number[] {
  const index = new Map(steps.map((step, at) => [step, at]));
  const wins = steps.map(() => new Float64Array(steps.length));
  for (const thread of threads.slice(0, 5_000)) {
    const seen: number[] = [];
    for (const step of thread.steps) {
      const at = index.get(step);
      if (at === undefined || seen.includes(at)) continue;
      for (const earlier of seen) wins[earlier][at]++;
      seen.push(at);
    }
  }
  // Copeland: by how many others it precedes in most threads.
  const score = steps.map((_, at) => steps.filter((__, other) => wins[at][other] > wins[other][at]).length);
  const place = (at: number) => median(places.get(steps[at]) ?? []) ?? 0;
  return steps
    .map((_, at) => at)
    .sort((a, b) => score[b] - score[a] || place(a) - place(b))
    .map((at) => steps[at]);
}

function bandOf(sinces: number[]): { median: number; low: number; high: number } {
  const sorted = [...sinces].sort(ascending);
  return { median: quantileSorted(sorted, 0.5)!, low: quantileSorted(sorted, 0.05)!, high: quantileSorted(sorted, 0.95)! };
}

/** A thread over steps, without a judgement. */
function lay({ key, steps, times }: Thread, order: readonly number[]): Laid {
  // Plain lists: a hundred thousand typed arrays of ten numbers take far longer to make.
  const first: number[] = order.map(() => Number.NaN);
  const counts: number[] = order.map(() => 0);
  for (const [at, step] of steps.entries()) {
    const of = order.indexOf(step);
    if (of < 0) continue;
    if (Number.isNaN(first[of])) first[of] = times[at];
    counts[of]++;
  }
  return { key, first, counts };
}

/** By step the time since the one that it follows. */
function sinceOf({ first }: Laid, steps: readonly LoomStep[]): number[] {
  return steps.map(({ after }, at) => (after < 0 ? Number.NaN : first[at] - first[after]));
}

/**
 * Threads over the usual steps, with what is not as usual in each: late by a modified z-score of 3.5 of the logarithm of the time since the step
 * that it follows; never, where nearly all go on so that it is missed and there was time for it; more often than in 19 of 20; out of order, where
 * nothing else explains it.
 *
 * @param reference the threads that say what is usual @param endMs when the lines end that were looked at
 */
export function stitch(
  threads: readonly Thread[],
  steps: readonly LoomStep[],
  reference: readonly Thread[],
  endMs: number,
): Stitched[] {
  const order = steps.map(({ step }) => step);
  const sinces = reference.map((thread) => sinceOf(lay(thread, order), steps));
  const bands = deviationsOf(sinces, steps.length);
  const early = outOfOrder(sinces, steps.length);
  return threads.map((thread, index) => {
    const laid = lay(thread, order);
    const since = threads === reference ? sinces[index] : sinceOf(laid, steps);
    const deviations: Deviation[] = [];
    for (const [at, { usual, share, times, after }] of steps.entries()) {
      const band = bands[at];
      if (laid.counts[at] > times) deviations.push({ how: 'twice', at });
      if (!usual || !band || after < 0 || Number.isNaN(laid.first[after])) continue;
      if (Number.isNaN(laid.first[at])) {
        // As late as would be far beyond usual, and still not there.
        const patience = Math.max(TWICE * usual.high, Math.exp(band.median + (FAR * band.deviation) / 0.6745));
        if (share >= EXPECTED && endMs - laid.first[after] >= patience) deviations.push({ how: 'never', at });
      } else if (since[at] >= TWICE * usual.median) {
        const log = Math.log(Math.max(1e-3, since[at]));
        if ((0.6745 * (log - band.median)) / band.deviation >= FAR) deviations.push({ how: 'late', at });
      }
    }
    if (deviations.length === 0)
      for (const at of steps.keys()) if (since[at] < 0 && early[at] <= RARE_ORDER) deviations.push({ how: 'order', at });
    return { ...laid, since, deviations };
  });
}

/**
 * By step the median of the logarithm of the time since the step before, and the median deviation from it; undefined with too few.
 *
 * @param sinces by thread and step, as `sinceOf` has them @param count of steps
 */
function deviationsOf(
  sinces: readonly (readonly number[])[],
  count: number,
): ({ median: number; deviation: number } | undefined)[] {
  const logs = Array.from({ length: count }, (): number[] => []);
  for (const since of sinces) for (const [at, ms] of since.entries()) if (ms >= 0) logs[at].push(Math.log(Math.max(1e-3, ms)));
  return logs.map((list) => {
    if (list.length < ENOUGH) return undefined;
    const middle = median(list)!;
    return { median: middle, deviation: Math.max(GRAIN, median(list, (it) => Math.abs(it - middle))!) };
  });
}

/** By step the share of threads in which it comes before the step that it follows. */
function outOfOrder(sinces: readonly (readonly number[])[], count: number): number[] {
  const counts = Array.from({ length: count }, () => [0, 0]);
  for (const since of sinces)
    for (const [at, ms] of since.entries())
      if (!Number.isNaN(ms)) {
        counts[at][0]++;
        if (ms < 0) counts[at][1]++;
      }
  return counts.map(([all, earlier]) => (all === 0 ? 0 : earlier / all));
}
