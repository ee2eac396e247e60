import { byMinutes, type LoadSeries, totalOf } from './load.ts';

/** Whether the load of a stretch is another than before. */
export type LoadMove = 'up' | 'down' | 'flat' | 'unknown';

/** What is called a move at least: a quarter, and a twentieth of a session. */
const LEAST_SHARE = 0.25;
const LEAST_SESSIONS = 0.05;
/** Two-sided at one in a thousand. */
const SURE = 3.29;
const FEWEST_MINUTES = 5;

/**
 * Compares two stretches by the means of their minutes: samples of one second resemble those of the next, so that steps of seconds would
 * seem surer than they are (Welch's statistic). Fewer than five minutes tell nothing.
 */
export function loadMove(lit: LoadSeries, before: LoadSeries): LoadMove {
  const [a, b] = [minuteMeans(lit), minuteMeans(before)];
  if (a.length < FEWEST_MINUTES || b.length < FEWEST_MINUTES) return 'unknown';
  const [one, other] = [moments(a), moments(b)];
  const difference = one.mean - other.mean;
  if (Math.abs(difference) < Math.max(LEAST_SESSIONS, LEAST_SHARE * other.mean)) return 'flat';
  const error = Math.sqrt(one.variance / a.length + other.variance / b.length);
  if (error > 0 && Math.abs(difference) / error < SURE) return 'flat';
  return difference > 0 ? 'up' : 'down';
}

function minuteMeans(series: LoadSeries): number[] {
  const { samples, counts } = byMinutes(series);
  return samples.flatMap((taken, at) => (taken === 0 ? [] : totalOf(counts[at]) / taken));
}

function moments(values: readonly number[]) {
  const mean = values.reduce((sum, it) => sum + it, 0) / values.length;
  const variance = values.reduce((sum, it) => sum + (it - mean) ** 2, 0) / Math.max(1, values.length - 1);
  return { mean, variance };
}
