import { ascending, median, quantileSorted } from 'd3-array';
import type { Thread } from './groups.ts';

/** A step that things usually go through. */
export interface LoomStep {
  readonly step: number;
  /** Of the threads that have the step before, the share that has this one, too. */
  readonly share: number;
  /** Time since the step before, milliseconds: the median and where 9 of 10 lie; null for the first, or with too few. */
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
  readonly first: Float64Array;
  /** By step the time since the last step before it that the thread has; NaN where there is none. */
  readonly since: Float64Array;
  readonly counts: Uint16Array;
  readonly deviations: readonly Deviation[];
}

/** A step belongs to the usual way when so many of the threads have it; more steps are left out. */
const LEAST_SHARE = 0.15;
const MOST_STEPS = 10;
/** Of those that came so far: a step that fewer go on to may be left out without being missing. */
const EXPECTED = 0.8;
/** Modified z-score (Iglewicz and Hoaglin, 1993) of the logarithm, and twice the median at least. */
const FAR = 3.5;
const TWICE = 2;
/** Half a tenth in the logarithm is no spread at all. */
const GRAIN = 0.1;
const ENOUGH = 12;
const RARE_ORDER = 0.02;

/** The usual steps, in the order in which things go through them. @param threads that say what is usual */
export function usualSteps(threads: readonly Thread[]): LoomStep[] {
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
    const before = laid.filter(({ since, first }) => at === 0 || !Number.isNaN(since[at]) || hasEarlier(first, at));
    const with_ = before.filter(({ first }) => !Number.isNaN(first[at]));
    const sinces = with_.map(({ since }) => since[at]).filter((it) => it >= 0);
    const counts = with_.map(({ counts: of }) => of[at]).sort(ascending);
    return {
      step,
      share: with_.length / Math.max(1, before.length),
      usual: at === 0 || sinces.length < ENOUGH ? null : bandOf(sinces),
      times: counts.length === 0 ? 1 : Math.max(1, quantileSorted(counts, 0.95)!),
    };
  });
}

function hasEarlier(first: Float64Array, at: number): boolean {
  for (let before = at - 1; before >= 0; before--) if (!Number.isNaN(first[before])) return true;
  return false;
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
function lay({ key, steps, times }: Thread, order: readonly number[]): Omit<Stitched, 'deviations'> {
  const first = new Float64Array(order.length).fill(Number.NaN);
  const counts = new Uint16Array(order.length);
  for (const [at, step] of steps.entries()) {
    const of = order.indexOf(step);
    if (of < 0) continue;
    if (Number.isNaN(first[of])) first[of] = times[at];
    counts[of]++;
  }
  const since = new Float64Array(order.length).fill(Number.NaN);
  for (let at = 1; at < order.length; at++) {
    if (Number.isNaN(first[at])) continue;
    for (let before = at - 1; before >= 0; before--)
      if (!Number.isNaN(first[before])) {
        since[at] = first[at] - first[before];
        break;
      }
  }
  return { key, first, since, counts };
}

/**
 * Threads over the usual steps, with what is not as usual in each: late by a modified z-score of 3.5 of the logarithm of the time since the step
 * before; never, where so many go on that it is missed and there was time for it; more often than in 19 of 20; out of order.
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
  const bands = deviationsOf(reference, order);
  const early = outOfOrder(reference, order);
  return threads.map((thread) => {
    const laid = lay(thread, order);
    const deviations: Deviation[] = [];
    for (let at = 0; at < steps.length; at++) {
      const { usual, share, times } = steps[at];
      const band = bands[at];
      if (!Number.isNaN(laid.first[at])) {
        const log = Math.log(Math.max(1e-3, laid.since[at]));
        if (band && usual && laid.since[at] >= TWICE * usual.median && (0.6745 * (log - band.median)) / band.deviation >= FAR)
          deviations.push({ how: 'late', at });
        if (laid.counts[at] > times) deviations.push({ how: 'twice', at });
        if (laid.since[at] < 0 && early[at] <= RARE_ORDER) deviations.push({ how: 'order', at });
      } else if (at > 0 && usual && band && share >= EXPECTED && hasEarlier(laid.first, at)) {
        const last = lastBefore(laid.first, at);
        // As late as would be far beyond usual, and still not there.
        const patience = Math.max(TWICE * usual.high, Math.exp(band.median + (FAR * band.deviation) / 0.6745));
        if (endMs - last >= patience) deviations.push({ how: 'never', at });
      }
    }
    return { ...laid, deviations };
  });
}

function lastBefore(first: Float64Array, at: number): number {
  for (let before = at - 1; before >= 0; before--) if (!Number.isNaN(first[before])) return first[before];
  return Number.NaN;
}

/** By step the median of the logarithm of the time since the step before, and the median deviation from it; undefined with too few. */
function deviationsOf(
  threads: readonly Thread[],
  order: readonly number[],
): ({ median: number; deviation: number } | undefined)[] {
  const logs: number[][] = order.map(() => []);
  for (const thread of threads) {
    const { since } = lay(thread, order);
    for (let at = 1; at < order.length; at++) if (since[at] >= 0) logs[at].push(Math.log(Math.max(1e-3, since[at])));
  }
  return logs.map((list) => {
    if (list.length < ENOUGH) return undefined;
    const middle = median(list)!;
    return { median: middle, deviation: Math.max(GRAIN, median(list, (it) => Math.abs(it - middle))!) };
  });
}

/** By step the share of threads in which it comes before the step that it follows. */
function outOfOrder(threads: readonly Thread[], order: readonly number[]): number[] {
  const counts = order.map(() => [0, 0]);
  for (const thread of threads) {
    const { since } = lay(thread, order);
    for (let at = 1; at < order.length; at++)
      if (!Number.isNaN(since[at])) {
        counts[at][0]++;
        if (since[at] < 0) counts[at][1]++;
      }
  }
  return counts.map(([all, early]) => (all === 0 ? 0 : early / all));
}
