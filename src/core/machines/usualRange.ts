import { median } from 'd3-array';

/** What is usual of a measure: the reference's median ± 4 median absolute deviations. */
export interface UsualRange {
  readonly median: number;
  readonly low: number;
  readonly high: number;
}

/** Values of the reference that are needed to say what is usual: minutes, unless it is said otherwise. */
const ENOUGH = 10;
const FAR = 4;
/** What lies within this part of the value is no spread at all: readings are rounded. */
const GRAIN = 0.02;

/**
 * The usual range of a measure; undefined with too few values.
 *
 * @param values of the reference, NaN where nothing came @param least a difference that is none, in the measure's unit @param enough values
 * that are needed
 */
export function usualRange(values: Iterable<number>, least: number, enough = ENOUGH): UsualRange | undefined {
  const known = [...values].filter((value) => !Number.isNaN(value));
  if (known.length < enough) return undefined;
  const middle = median(known)!;
  const spread = median(known.map((value) => Math.abs(value - middle)))!;
  const reach = Math.max(FAR * spread, GRAIN * Math.abs(middle), least);
  return { median: middle, low: Math.max(0, middle - reach), high: middle + reach };
}

/** The median of the values of some minutes; NaN without any. */
export function medianBetween(values: Float64Array | undefined, first: number, end: number): number {
  if (!values) return Number.NaN;
  const known: number[] = [];
  for (let at = Math.max(0, first); at < Math.min(end, values.length); at++)
    if (!Number.isNaN(values[at])) known.push(values[at]);
  return known.length === 0 ? Number.NaN : median(known)!;
}
