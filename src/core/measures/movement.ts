import { median } from 'd3-array';

/** How a measure stands in two stretches of time. */
export interface Movement {
  /** Medians; null without a value. */
  readonly before: number | null;
  readonly lit: number | null;
  /** unknown: too few values to say. */
  readonly turn: 'up' | 'down' | 'flat' | 'unknown';
}

/** Values that are needed of either side. */
const ENOUGH = 3;
const FAR = 4;
const EFFECT = 0.25;
/** Of the lit values that must lie beyond. */
const MOST = 0.5;
/** What lies within this part of the value is no spread at all: readings are rounded. */
const GRAIN = 0.02;

/**
 * Whether a measure moved: at least half of its lit values lie on one side of the median before by a quarter of it and by four robust
 * standard deviations (1.4826 × the median absolute deviation).
 *
 * @param least a difference that is none, in the measure's unit
 */
export function movement(before: readonly number[], lit: readonly number[], least = 0): Movement {
  const then = median(before) ?? null;
  const now = median(lit) ?? null;
  if (then === null || now === null || before.length < ENOUGH || lit.length < ENOUGH)
    return { before: then, lit: now, turn: 'unknown' };
  const spread = 1.4826 * median(before.map((value) => Math.abs(value - then)))!;
  const bound = Math.max(FAR * Math.max(spread, GRAIN * Math.abs(then)), EFFECT * Math.abs(then), least);
  const up = lit.filter((value) => value > then + bound).length;
  const down = lit.filter((value) => value < then - bound).length;
  const turn = up >= MOST * lit.length ? 'up' : down >= MOST * lit.length ? 'down' : 'flat';
  return { before: then, lit: now, turn };
}

/** Differences that are none: a twentieth of a core or of a utilization, half a connection. By unit, as OpenTelemetry writes it. */
const LEAST: Readonly<Record<string, number>> = { '1': 0.05, '{core}': 0.05, s: 0.005, '{request}': 0.5, '{connection}': 0.5 };

/** Of a capacity, less than this part is no difference. */
const PART_OF_CAPACITY = 0.05;

/**
 * A difference of a measure that is none.
 *
 * @param capacity what the measure can come to, such as the size of a pool; undefined when that is not known
 */
export function leastMove(unit: string, capacity?: number): number {
  return capacity === undefined ? (LEAST[unit] ?? 0) : PART_OF_CAPACITY * capacity;
}

/** A measure of one sender, as far as capacities are concerned. */
interface Measured {
  readonly name: string;
  readonly instance: string;
  readonly host: string;
  readonly attributes: Readonly<Record<string, unknown>>;
  readonly points: readonly (readonly [minute: number, value: number])[];
}

/**
 * Finds what measures can come to: the largest value of the measure `….max` or `….limit` that the same sender reports beside them, of the same pool
 * or device.
 */
export function capacities(series: readonly Measured[]): (of: Measured) => number | undefined {
  const keyOf = ({ instance, host, attributes }: Measured, name: string) =>
    JSON.stringify([name, instance, host, Object.entries(attributes).sort()]);
  const known = new Map<string, number>();
  for (const it of series) {
    if (!/\.(max|limit)$/.test(it.name) || it.points.length === 0) continue;
    const most = it.points.reduce((max, [, value]) => Math.max(max, value), 0);
    if (most > 0) known.set(keyOf(it, it.name.replace(/\.\w+$/, '')), most);
  }
  return (it) => known.get(keyOf(it, it.name.replace(/\.\w+$/, '')));
}
