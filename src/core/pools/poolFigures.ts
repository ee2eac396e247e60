import { meanOf, mergeDistributions, quantileOf } from './distribution.ts';
import { measuredP95, type PoolMinute } from './sizing.ts';
import type { MeasuredMinute } from './storedPool.ts';

/** A pool over a window, all its instances together; times in seconds. */
export interface PoolFigures {
  /** Connections of one instance; null when it is not said. */
  readonly size: number | null;
  /** Of one instance, on average. */
  readonly used: number | null;
  readonly pending: number | null;
  /** A second, all instances together. */
  readonly arrivals: number;
  readonly holdMean: number | null;
  readonly holdP50: number | null;
  readonly holdP95: number | null;
  readonly waitMean: number | null;
  readonly waitP95: number | null;
  readonly timeouts: number;
  readonly requests: number;
}

export function poolFigures(instances: readonly (readonly MeasuredMinute[])[], minutes: number): PoolFigures {
  const all = instances.flat();
  const waits = mergeDistributions(all.map((it) => it.waits));
  const holds = mergeDistributions(all.map((it) => it.holds));
  const averaged = (value: (it: MeasuredMinute) => number | null) => {
    const known = all.flatMap((it) => value(it) ?? []);
    return known.length === 0 ? null : known.reduce((sum, it) => sum + it, 0) / known.length;
  };
  const sizes = all.flatMap(({ size }) => size ?? []).sort((a, b) => a - b);
  return {
    size: sizes[sizes.length >> 1] ?? null,
    used: averaged(({ used }) => used),
    pending: averaged(({ pending }) => pending),
    arrivals: minutes === 0 ? 0 : waits.count / (60 * minutes),
    holdMean: meanOf(holds),
    holdP50: quantileOf(holds, 0.5),
    holdP95: quantileOf(holds, 0.95),
    waitMean: meanOf(waits),
    waitP95: waits.count === 0 ? null : measuredP95([waits]),
    timeouts: all.reduce((sum, it) => sum + it.timeouts, 0),
    requests: waits.count,
  };
}

/**
 * The arrivals of each minute. Waits are counted when they end: those that still wait at the end of a minute came in it, those that waited at
 * its beginning did not.
 */
export function poolMinutes(minutes: readonly MeasuredMinute[]): PoolMinute[] {
  return minutes.map((it, at) => {
    const grown = (it.pending ?? 0) - (minutes[at - 1]?.pending ?? it.pending ?? 0);
    return { minute: it.minute, arrivals: Math.max(0, Math.round(it.waits.count + grown)), holds: it.holds };
  });
}
