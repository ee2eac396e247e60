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
  const [from, to] = [Math.max(0, first), Math.min(end, values.length)];
  if (to - from > FEW) return median(values.subarray(from, to)) ?? Number.NaN;
  // It is asked of thousands of things for each picture: few values are put in order as they come.
  let count = 0;
  for (let at = from; at < to; at++) {
    const value = values[at];
    if (Number.isNaN(value)) continue;
    let place = count++;
    for (; place > 0 && inOrder[place - 1] > value; place--) inOrder[place] = inOrder[place - 1];
    inOrder[place] = value;
  }
  const half = count >> 1;
  if (count === 0) return Number.NaN;
  return count % 2 === 1 ? inOrder[half] : (inOrder[half - 1] + inOrder[half]) / 2;
}

/** Values that are put in order in this array, which is used again. */
const FEW = 16;
const inOrder = new Float64Array(FEW);
