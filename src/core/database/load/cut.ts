import { byMinutes, type ClassCounts, type LoadSeries, loadOf, noCounts, totalOf } from './load.ts';
import type { LoadMove } from './loadMove.ts';

/** One value of a dimension: its part of the load in both windows, average active sessions. */
export interface CutRow {
  readonly value: string;
  readonly lit: readonly number[];
  readonly before: readonly number[];
  readonly move: LoadMove;
}

export interface Cut {
  /** The largest first, by the larger of the two windows. */
  readonly rows: readonly CutRow[];
  /** What the values that are not listed come to together. */
  readonly rest: { readonly values: number; readonly lit: number; readonly before: number };
}

/** Two-sided at one in a thousand. */
const SURE = 3.29;
const LEAST_SESSIONS = 0.05;
const LEAST_SHARE = 0.25;

/**
 * The load by the values of one dimension, lit against before.
 *
 * @param inflation how many times the samples of a server spread more than independent ones, see `sampleInflation`
 */
export function cutOf(
  lit: { readonly counts: ReadonlyMap<string, ClassCounts>; readonly samples: number },
  before: { readonly counts: ReadonlyMap<string, ClassCounts>; readonly samples: number },
  inflation: number,
  most: number,
): Cut {
  const values = new Set([...lit.counts.keys(), ...before.counts.keys()]);
  const rows = [...values].map((value): CutRow => {
    const now = loadOf(lit.counts.get(value) ?? noCounts(), lit.samples);
    const then = loadOf(before.counts.get(value) ?? noCounts(), before.samples);
    return { value, lit: now?.byClass ?? noneOf(), before: then?.byClass ?? noneOf(), move: moveOf(now, then, inflation) };
  });
  const size = ({ lit: a, before: b }: CutRow) => Math.max(totalOf(a), 0.5 * totalOf(b));
  rows.sort((a, b) => size(b) - size(a) || (a.value < b.value ? -1 : 1));
  const left = rows.slice(most);
  return {
    rows: rows.slice(0, most),
    rest: {
      values: left.length,
      lit: left.reduce((sum, it) => sum + totalOf(it.lit), 0),
      before: left.reduce((sum, it) => sum + totalOf(it.before), 0),
    },
  };
}

function noneOf(): number[] {
  return Array.from(noCounts());
}

function moveOf(lit: ReturnType<typeof loadOf>, before: ReturnType<typeof loadOf>, inflation: number): LoadMove {
  if (!lit || !before) return 'unknown';
  const difference = lit.value - before.value;
  if (Math.abs(difference) < Math.max(LEAST_SESSIONS, LEAST_SHARE * before.value)) return 'flat';
  const error = Math.sqrt(inflation * (lit.value / lit.samples + before.value / before.samples));
  if (error > 0 && Math.abs(difference) / error < SURE) return 'flat';
  return difference > 0 ? 'up' : 'down';
}

/**
 * How many times the means of minutes spread more than those of as many independent samples: the sessions of one second are mostly those of
 * the next. At least 1.
 */
export function sampleInflation(series: LoadSeries): number {
  const { samples, counts } = byMinutes(series);
  const steps = samples.flatMap((taken, at) => (taken === 0 ? [] : { taken, mean: totalOf(counts[at]) / taken }));
  if (steps.length < 5) return 1;
  const taken = steps.reduce((sum, it) => sum + it.taken, 0);
  const mean = steps.reduce((sum, it) => sum + it.mean * it.taken, 0) / taken;
  if (mean === 0) return 1;
  const variance = steps.reduce((sum, it) => sum + (it.mean - mean) ** 2, 0) / (steps.length - 1);
  return Math.max(1, (variance * (taken / steps.length)) / mean);
}

/** How much of the load its largest value has; near 1 a dimension tells everything, near 1 / values it does not divide the load. */
export function topShare({ rows, rest }: Cut): number {
  const all = rows.reduce((sum, { lit }) => sum + totalOf(lit), 0) + rest.lit;
  return all === 0 ? 0 : Math.max(0, ...rows.map(({ lit }) => totalOf(lit))) / all;
}
