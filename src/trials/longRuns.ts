import { verdicts } from '../core/planbench/verdict.ts';
import type { Course } from './course.ts';

/*
 * A statement that takes long is not run as often as one that takes a moment, where the answer is plain before: a trial ends while the one who waits
 * for it is still there.
 */

/** A statement that takes as long is long, in milliseconds. */
export const LONG_MS = 5_000;
/** With a way that takes less than such a share of the statement's time, and has its rows, … */
const FAR = 0.2;
/** … ways that take more than such a share of it are not run on. */
const BEHIND = 0.5;
/** Ways are plainly faster when the slowest of their runs takes less than such a share of the fastest of the statement's. */
const PLAIN = 0.5;

/** Each runs at least as often, whatever is plain. */
const FEWEST_RUNS = 2;

/** A statement that does not end is run again for so many times as long as the slowest of the others took, and so long at least. */
const SLOWER = 10;
const SHORTEST_SLOWER_MS = 5_000;

/**
 * How long a run of a statement that did not end may take: longer than each other way has taken is enough to say again that it is slower.
 *
 * @param longest that any run may take @returns milliseconds
 */
export function plainlySlower(others: readonly Course[], longest: number): number {
  const slowest = Math.max(0, ...others.filter((it) => !it.isOut).flatMap(({ tried }) => [tried.first?.ms ?? 0, ...tried.runs]));
  return Math.min(longest, Math.max(SHORTEST_SLOWER_MS, SLOWER * slowest));
}

/** Ways that are of no interest beside the best, after a first run of each and the comparison of their rows. */
export function farBehind(original: Course, others: readonly Course[]): Course[] {
  const own = original.tried.first?.ms ?? 0;
  const left = others.filter((it) => !it.isOut && it.tried.first);
  const isFound = left.some(({ tried }) => tried.rows?.are === 'equal' && tried.first!.ms <= own * FAR);
  return isFound ? left.filter(({ tried }) => tried.first!.ms > own * BEHIND) : [];
}

/**
 * Whether more runs could not change what is said: each way that is left is plainly faster, and surely.
 *
 * @param runs of the statement itself, milliseconds
 */
export function isDecided(runs: readonly number[], others: readonly Course[]): boolean {
  const left = others.filter((it) => !it.isOut);
  return (
    runs.length >= FEWEST_RUNS &&
    left.every(({ tried }) => Math.max(...tried.runs) < PLAIN * Math.min(...runs)) &&
    verdicts(
      runs,
      left.map(({ tried }) => tried.runs),
    ).every((it) => it.is === 'better')
  );
}
