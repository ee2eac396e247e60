import { VarintReader, VarintWriter } from './varint.ts';

/**
 * A histogram of positive values after OpenTelemetry's base-2 exponential histogram at scale 4: bucket `i` holds the values in
 * (2^(i/16), 2^((i+1)/16)], so a quantile is right to 2.2 %. What is not above zero is counted apart, as zero. Sketches are merged by
 * adding; a quantile of many is never put together from the quantiles of each.
 */
export interface Sketch {
  zero: number;
  /** How many values each bucket holds; buckets without any are left out. */
  readonly buckets: Map<number, number>;
}

const PER_OCTAVE = 16;

export function emptySketch(): Sketch {
  return { zero: 0, buckets: new Map() };
}

/** The bucket that a positive value falls into. */
export function bucketOf(value: number): number {
  return Math.ceil(Math.log2(value) * PER_OCTAVE) - 1;
}

export function addValue(sketch: Sketch, value: number, times = 1): void {
  if (!(value > 0)) {
    sketch.zero += times;
    return;
  }
  const bucket = bucketOf(value);
  sketch.buckets.set(bucket, (sketch.buckets.get(bucket) ?? 0) + times);
}

/** Adds the values of `other` to `sketch`. */
export function mergeInto(sketch: Sketch, other: Sketch): void {
  sketch.zero += other.zero;
  for (const [bucket, times] of other.buckets) sketch.buckets.set(bucket, (sketch.buckets.get(bucket) ?? 0) + times);
}

export function countOf(sketch: Sketch): number {
  let count = sketch.zero;
  for (const times of sketch.buckets.values()) count += times;
  return count;
}

/** The values below which a share `q` of all lies, for each of `shares` in ascending order; null when there is no value. */
export function quantiles({ zero, buckets }: Sketch, shares: readonly number[]): (number | null)[] {
  let count = zero;
  let lowest = Number.POSITIVE_INFINITY;
  let highest = Number.NEGATIVE_INFINITY;
  for (const [bucket, times] of buckets) {
    count += times;
    if (bucket < lowest) lowest = bucket;
    if (bucket > highest) highest = bucket;
  }
  return quantilesOf(zero, count, lowest, highest, (bucket) => buckets.get(bucket) ?? 0, shares);
}

/**
 * The same of counts that lie anywhere.
 *
 * @param count of all, with the zeros @param lowest a bucket below which there is none @param highest above which there is none
 */
export function quantilesOf(
  zero: number,
  count: number,
  lowest: number,
  highest: number,
  timesIn: (bucket: number) => number,
  shares: readonly number[],
): (number | null)[] {
  if (count === 0) return shares.map(() => null);
  // A few hundred buckets hold all that there is: going through them in order costs less than bringing them into order.
  let at = lowest - 1;
  let last: number | undefined;
  let below = zero;
  return shares.map((share) => {
    // The least rank that covers the share, as percentile_disc takes it.
    const rank = Math.max(1, Math.ceil(share * count));
    while (below < rank && at < highest) {
      const times = timesIn(++at);
      if (times === 0) continue;
      below += times;
      last = at;
    }
    // Within a bucket, its middle on the log scale.
    return last === undefined ? 0 : 2 ** ((last + 0.5) / PER_OCTAVE);
  });
}

/** Which share of the values lies below `value`; those in its own bucket count half. 0 when there is none. */
export function shareBelow({ zero, buckets }: Sketch, value: number): number {
  const own = value > 0 ? bucketOf(value) : Number.NEGATIVE_INFINITY;
  let count = zero;
  let below = value > 0 ? zero : zero / 2;
  for (const [bucket, times] of buckets) {
    count += times;
    below += bucket < own ? times : bucket === own ? times / 2 : 0;
  }
  return count === 0 ? 0 : below / count;
}

/** A sketch in few bytes: varints of the zero count, then per bucket the distance to the one before and its count. */
export function encodeSketch({ zero, buckets }: Sketch): Uint8Array {
  const bytes = new VarintWriter();
  bytes.varint(zero);
  let last: number | undefined;
  for (const [bucket, times] of [...buckets].sort(([a], [b]) => a - b)) {
    putBucket(bytes, last, bucket, times);
    last = bucket;
  }
  return bytes.written();
}

function putBucket(bytes: VarintWriter, before: number | undefined, bucket: number, times: number): void {
  // Only the first may lie below zero.
  bytes.varint(before === undefined ? (bucket < 0 ? -2 * bucket - 1 : 2 * bucket) : bucket - before);
  bytes.varint(times);
}

/** Represents the bucket of the least value that there is: a number of eight bytes is at least 2^-1074. */
export const LOWEST = -1074 * PER_OCTAVE - 1;
/** The codes of `codeOf` are below this. */
export const CODES = 2 ** 16;

/** Where a value counts, as a whole number of zero or more: 0 for what is not above zero, then bucket by bucket. */
export function codeOf(value: number): number {
  return value > 0 ? bucketOf(value) - LOWEST + 1 : 0;
}

/**
 * The sketch of some values as `encodeSketch` gives it, from their codes in ascending order.
 *
 * @param codes those from `start` to `end`, above `base` @param into where the bytes go, from the beginning
 */
export function encodeCodes(codes: Float64Array, start: number, end: number, base: number, into: VarintWriter): void {
  into.clear();
  let at = start;
  while (at < end && codes[at] === base) at++;
  into.varint(at - start);
  let last: number | undefined;
  while (at < end) {
    const from = at;
    const code = codes[at];
    while (at < end && codes[at] === code) at++;
    const bucket = code - base - 1 + LOWEST;
    putBucket(into, last, bucket, at - from);
    last = bucket;
  }
}

/** Adds the values of an encoded sketch to `sketch`. @throws RangeError when the bytes end in the middle */
export function mergeEncoded(sketch: Sketch, bytes: Uint8Array, start = 0, end = bytes.length): void {
  const { buckets } = sketch;
  sketch.zero += readEncoded(bytes, start, end, (bucket, times) => buckets.set(bucket, (buckets.get(bucket) ?? 0) + times));
}

/**
 * Goes through an encoded sketch, which lies in some bytes from `start` to `end`.
 *
 * @returns how many values are not above zero @throws RangeError when the bytes end in the middle
 */
export function readEncoded(
  bytes: Uint8Array,
  start: number,
  end: number,
  take: (bucket: number, times: number) => void,
): number {
  const reader = new VarintReader(bytes, start, end);
  const zero = reader.next();
  let bucket = 0;
  for (let isFirst = true; !reader.isAtEnd; isFirst = false) {
    const step = reader.next();
    if (!isFirst) bucket += step;
    else bucket = step % 2 === 1 ? -(step + 1) / 2 : step / 2;
    take(bucket, reader.next());
  }
  return zero;
}
