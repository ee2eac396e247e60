import { type LoadSeries, totalOf } from './load.ts';

/** Whether the load of a stretch is another than before. */
export type LoadMove = 'up' | 'down' | 'flat' | 'unknown';

/** What is called a move at least: a quarter, and a twentieth of a session. */
const LEAST_SHARE = 0.25;
const LEAST_SESSIONS = 0.05;
/** Two-sided at one in a thousand. */
const SURE = 3.29;
const FEWEST_STEPS = 5;

/**
 * Compares two stretches by the means of their steps: samples of one second resemble those of the next, steps of a minute hardly do, so
 * their spread is that of the load itself (Welch's statistic).
 *
 * @param pick the part of the load that is meant, of a step's counts by class
 */
export function loadMove(lit: LoadSeries, before: LoadSeries, pick: (counts: ArrayLike<number>) => number = totalOf): LoadMove {
  const [a, b] = [stepMeans(lit, pick), stepMeans(before, pick)];
  if (a.length < FEWEST_STEPS || b.length < FEWEST_STEPS) return 'unknown';
  const [one, other] = [moments(a), moments(b)];
  const difference = one.mean - other.mean;
  if (Math.abs(difference) < Math.max(LEAST_SESSIONS, LEAST_SHARE * other.mean)) return 'flat';
  const error = Math.sqrt(one.variance / a.length + other.variance / b.length);
  if (error > 0 && Math.abs(difference) / error < SURE) return 'flat';
  return difference > 0 ? 'up' : 'down';
}

function stepMeans({ samples, counts }: LoadSeries, pick: (counts: ArrayLike<number>) => number): number[] {
  return samples.flatMap((taken, at) => (taken === 0 ? [] : pick(counts[at]) / taken));
}

function moments(values: readonly number[]) {
  const mean = values.reduce((sum, it) => sum + it, 0) / values.length;
  const variance = values.reduce((sum, it) => sum + (it - mean) ** 2, 0) / Math.max(1, values.length - 1);
  return { mean, variance };
}
