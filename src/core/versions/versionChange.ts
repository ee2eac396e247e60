import { fisherTail, studentQuantile, studentTail } from '../contrast/statistics/tails.ts';
import { boundOfFindings } from '../verdict/benjaminiHochberg.ts';
import type { VersionCalls } from './versionCalls.ts';

/** An estimate with the range that holds the truth 99 times in 100. */
export interface Ranged {
  readonly value: number;
  readonly range: readonly [low: number, high: number];
}

export type VersionVerdict = 'worse' | 'better' | 'same' | 'unknown';

/** What became of one operation from an older version to a newer one. */
export interface VersionChange {
  /** `beside`: in stretches in which both were at work, so that the time of day is the same; `after`: all calls of the one, all of the other. */
  readonly basis: 'beside' | 'after';
  /** Calls that were held against each other. */
  readonly calls: { readonly older: number; readonly newer: number };
  /** How many times as long the newer one takes (ratio of geometric means); null when too few went well. */
  readonly times: Ranged | null;
  /** By how much the failing share grew. */
  readonly failing: Ranged;
  /** unknown: too little data to tell. */
  readonly verdict: VersionVerdict;
  /** What the verdict rests on. */
  readonly by: 'duration' | 'failures' | null;
}

/** Of either version, for a verdict at all. */
const LEAST_CALLS = 30;
/** A difference that is none, in durations and in the share that fails. */
const SMALL_TIMES = 1.1;
const SMALL_SHARE = 0.02;
/** Less than these is not worth calling a change, however sure. */
const WORTH_TIMES = 1.03;
const WORTH_SHARE = 0.002;
const LEVEL = 0.01;
/** With fewer stretches their spread says little. */
const LEAST_STRETCHES = 6;

interface Judged extends Omit<VersionChange, 'verdict' | 'by'> {
  readonly chances: { readonly duration: number; readonly failures: number };
}

/**
 * A verdict on each operation. Findings are sure together: at most 1 of 100 that are called is none (Benjamini and Hochberg, 1995).
 *
 * @param pairs the calls of the older and the newer version, in the same stretches of time
 */
export function versionChanges(pairs: readonly (readonly [older: VersionCalls, newer: VersionCalls])[]): VersionChange[] {
  const judged = pairs.map(([older, newer]) => judge(older, newer));
  const bound = boundOfFindings(
    judged.filter(isEnough).flatMap(({ chances }) => [chances.duration, chances.failures]),
    LEVEL,
  );
  return judged.map(({ chances, ...it }) => ({ ...it, ...verdictOf({ chances, ...it }, bound) }));
}

function isEnough({ calls }: Judged): boolean {
  return Math.min(calls.older, calls.newer) >= LEAST_CALLS;
}

function verdictOf(it: Judged, bound: number): Pick<VersionChange, 'verdict' | 'by'> {
  if (!isEnough(it)) return { verdict: 'unknown', by: null };
  const { times, failing, chances } = it;
  const moreFail = chances.failures <= bound && Math.abs(failing.value) >= WORTH_SHARE;
  const slower = times !== null && chances.duration <= bound && Math.abs(Math.log(times.value)) >= Math.log(WORTH_TIMES);
  // One that fails more is worse, however quickly it does so.
  if (moreFail && failing.value > 0) return { verdict: 'worse', by: 'failures' };
  if (slower && times.value > 1) return { verdict: 'worse', by: 'duration' };
  if (moreFail) return { verdict: 'better', by: 'failures' };
  if (slower) return { verdict: 'better', by: 'duration' };
  const isSameTime = times !== null && times.range[0] >= 1 / SMALL_TIMES && times.range[1] <= SMALL_TIMES;
  const isSameShare = failing.range[0] >= -SMALL_SHARE && failing.range[1] <= SMALL_SHARE;
  return { verdict: isSameTime && isSameShare ? 'same' : 'unknown', by: null };
}

function judge(older: VersionCalls, newer: VersionCalls): Judged {
  const shared = [...older.calls.keys()].filter((at) => older.calls[at] > 0 && newer.calls[at] > 0);
  const among = (of: Float64Array) => shared.reduce((sum, at) => sum + of[at], 0);
  const isBeside = Math.min(among(older.calls), among(newer.calls)) >= LEAST_CALLS;
  const stretches = isBeside ? shared : [...older.calls.keys()].filter((at) => older.calls[at] + newer.calls[at] > 0);
  const total = (of: Float64Array) => stretches.reduce((sum, at) => sum + of[at], 0);
  const calls = { older: total(older.calls), newer: total(newer.calls) };
  const time = difference({ n: older.timed, sum: older.logs }, { n: newer.timed, sum: newer.logs }, stretches, isBeside, (of) => {
    const { timed, logs, squares } = of === 'older' ? older : newer;
    const n = total(timed);
    return n < 2 ? Number.POSITIVE_INFINITY : Math.max(0, total(squares) - total(logs) ** 2 / n) / (n - 1);
  });
  const fail = difference(
    { n: older.calls, sum: older.failed },
    { n: newer.calls, sum: newer.failed },
    stretches,
    isBeside,
    (of) => {
      const side = of === 'older' ? older : newer;
      // Agresti and Coull: one that never failed may still fail.
      const share = (total(side.failed) + 2) / (total(side.calls) + 4);
      return share * (1 - share);
    },
  );
  const enoughTimed = Math.min(total(older.timed), total(newer.timed)) >= LEAST_CALLS;
  return {
    basis: isBeside ? 'beside' : 'after',
    calls,
    times: enoughTimed && time ? ranged(time, Math.exp) : null,
    failing: fail ? ranged(fail, (it) => it) : { value: 0, range: [-1, 1] },
    chances: {
      duration: enoughTimed && time ? chanceOf(time) : 1,
      failures: fail
        ? Math.max(chanceOf(fail), exactChance(total(older.failed), calls.older, total(newer.failed), calls.newer))
        : 1,
    },
  };
}

interface Difference {
  readonly value: number;
  readonly error: number;
  readonly degrees: number;
}

interface Side {
  readonly n: Float64Array;
  readonly sum: Float64Array;
}

/**
 * The difference of two means and its standard error. Side by side, differences within each stretch are averaged, weighted by n₁n₂/(n₁+n₂).
 * The error is the larger of what calls that know nothing of each other would have, and of the jackknife that leaves out one stretch
 * after the other, which sees that a bad minute is bad for all its calls.
 */
function difference(
  older: Side,
  newer: Side,
  stretches: readonly number[],
  isBeside: boolean,
  variance: (of: 'older' | 'newer') => number,
): Difference | undefined {
  const used = stretches.filter((at) => (isBeside ? older.n[at] > 0 && newer.n[at] > 0 : older.n[at] + newer.n[at] > 0));
  const parts = used.map((at) => {
    const [n1, n2] = [older.n[at], newer.n[at]];
    if (!isBeside) return { n1, n2, s1: older.sum[at], s2: newer.sum[at] };
    // As if both were this weight: the sums are then those of the weighted means.
    const weight = (n1 * n2) / (n1 + n2);
    return { n1: weight, n2: weight, s1: (weight * older.sum[at]) / n1, s2: (weight * newer.sum[at]) / n2 };
  });
  const all = { n1: 0, n2: 0, s1: 0, s2: 0 };
  for (const { n1, n2, s1, s2 } of parts) {
    all.n1 += n1;
    all.n2 += n2;
    all.s1 += s1;
    all.s2 += s2;
  }
  if (!(all.n1 > 0) || !(all.n2 > 0)) return undefined;
  const value = all.s2 / all.n2 - all.s1 / all.n1;
  const left: number[] = [];
  for (const { n1, n2, s1, s2 } of parts) {
    const [m1, m2] = [all.n1 - n1, all.n2 - n2];
    if (m1 > 0 && m2 > 0) left.push((all.s2 - s2) / m2 - (all.s1 - s1) / m1);
  }
  const k = left.length;
  const mean = left.reduce((sum, it) => sum + it, 0) / Math.max(1, k);
  const jackknife = k < LEAST_STRETCHES ? 0 : ((k - 1) / k) * left.reduce((sum, it) => sum + (it - mean) ** 2, 0);
  // Σ w²(v₁/n₁ + v₂/n₂) / (Σ w)² with w = n₁n₂/(n₁+n₂), or v₁/N₁ + v₂/N₂.
  const [v1, v2] = [variance('older'), variance('newer')];
  const independent = isBeside
    ? used.reduce((sum, at, index) => sum + parts[index].n1 ** 2 * (v1 / older.n[at] + v2 / newer.n[at]), 0) / all.n1 ** 2
    : v1 / all.n1 + v2 / all.n2;
  const byJackknife = jackknife > independent;
  return {
    value,
    error: Math.sqrt(Math.max(jackknife, independent)),
    degrees: byJackknife ? k - 1 : Math.max(2, Math.min(sumOf(older.n, used), sumOf(newer.n, used)) - 1),
  };
}

function sumOf(of: Float64Array, at: readonly number[]): number {
  return at.reduce((sum, index) => sum + of[index], 0);
}

/** Two-sided. */
function chanceOf({ value, error, degrees }: Difference): number {
  if (!(error > 0)) return value === 0 ? 1 : 0;
  return Math.min(1, 2 * studentTail(Math.abs(value) / error, degrees));
}

/** Fisher's exact test, two-sided as twice the smaller tail: few failures are no normal distribution. */
function exactChance(failedOlder: number, older: number, failedNewer: number, newer: number): number {
  const [failed, all] = [failedOlder + failedNewer, older + newer];
  const more = fisherTail(failedNewer, newer, failed, all);
  const fewer = fisherTail(failedOlder, older, failed, all);
  return Math.min(1, 2 * Math.min(more, fewer));
}

function ranged({ value, error, degrees }: Difference, scale: (it: number) => number): Ranged {
  const reach = studentQuantile(LEVEL / 2, Math.max(1, degrees)) * error;
  return { value: scale(value), range: [scale(value - reach), scale(value + reach)] };
}
