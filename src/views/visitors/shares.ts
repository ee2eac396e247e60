import { VITALS, type Vital } from '../../core/visits/figures/vitals.ts';
import { isLonger } from '../../core/visits/worse.ts';
import type { State } from '../../ui/list/StateGlyph.tsx';

/** How a vital stands by the public thresholds. */
export function vitalState(vital: Vital, value: number | undefined): State {
  if (value === undefined) return 'unknown';
  const [good, poor] = VITALS[vital];
  return value <= good ? 'calm' : value <= poor ? 'strained' : 'failing';
}

/** How a page stands by its load against before: failing where it takes twice as long and more than two seconds. */
export function loadState(litMs: number | null, beforeMs: number | null): State {
  if (litMs === null) return 'unknown';
  if (beforeMs === null) return litMs > 4_000 ? 'strained' : 'unknown';
  if (!isLonger(litMs, beforeMs)) return 'calm';
  return litMs > 2 * beforeMs && litMs > 2_000 ? 'failing' : 'strained';
}

/** An axis from 0 to a round number of milliseconds: its end, and its ticks. */
export function roundAxis(most: number): { readonly end: number; readonly ticks: readonly number[] } {
  const step = [50, 100, 200, 500, 1_000, 2_000, 5_000, 10_000, 20_000, 60_000].find((it) => it * 5 >= most) ?? 120_000;
  const count = Math.max(1, Math.ceil(most / step));
  return { end: count * step, ticks: Array.from({ length: count + 1 }, (_, at) => at * step) };
}

/** A count that is zero stands back. */
export function percent(part: number, of: number): string {
  if (of === 0) return '–';
  const share = (100 * part) / of;
  return share >= 9.95 || share === 0 ? share.toFixed(0) : share.toFixed(1);
}
