import { shuffler } from 'd3-array';

/** How long something took, by bucket, in seconds: what a histogram of OpenTelemetry says. Buckets in ascending order. */
export interface Distribution {
  readonly buckets: readonly { readonly low: number; readonly high: number; readonly count: number }[];
  readonly count: number;
  /** Sum of the values; null when the sender does not say. */
  readonly sum: number | null;
}

export const NO_VALUES: Distribution = { buckets: [], count: 0, sum: 0 };

export function mergeDistributions(all: readonly Distribution[]): Distribution {
  const buckets = new Map<string, { low: number; high: number; count: number }>();
  let count = 0;
  let sum: number | null = 0;
  for (const it of all) {
    count += it.count;
    sum = sum === null || it.sum === null ? null : sum + it.sum;
    for (const bucket of it.buckets) {
      const key = `${bucket.low} ${bucket.high}`;
      const known = buckets.get(key);
      if (known) known.count += bucket.count;
      else buckets.set(key, { ...bucket });
    }
  }
  return { buckets: [...buckets.values()].sort((a, b) => a.low - b.low || a.high - b.high), count, sum };
}

/** The mean; from the middles of the buckets when the sum is not known. Null without values. */
export function meanOf({ buckets, count, sum }: Distribution): number | null {
  if (count === 0) return null;
  if (sum !== null) return sum / count;
  return buckets.reduce((total, it) => total + it.count * within(it, 0.5), 0) / count;
}

/** The value below which a share of all lies, right to the width of a bucket; null without values. */
export function quantileOf({ buckets, count }: Distribution, share: number): number | null {
  if (count === 0) return null;
  let left = share * count;
  for (const it of buckets) {
    if (left <= it.count && it.count > 0) return within(it, Math.max(0, left) / it.count);
    left -= it.count;
  }
  return buckets.at(-1)?.high ?? null;
}

/** A place inside a bucket: evenly on a log axis, evenly from zero in the first one. */
function within({ low, high }: { readonly low: number; readonly high: number }, share: number): number {
  const top = Number.isFinite(high) ? high : 1.5 * low;
  return low <= 0 ? top * share : low * (top / low) ** share;
}

/**
 * So many values that are spread as the distribution is, in no order: one from each equal part of it. Values that were drawn one by one would
 * differ from it by chance, and so would what waits for them.
 *
 * @param random 0 inclusive to 1 exclusive
 */
export function valuesLike(of: Distribution, count: number, random: () => number): Float64Array {
  const values = new Float64Array(count);
  const buckets = of.buckets.filter((it) => it.count > 0);
  if (buckets.length === 0) return values;
  const total = buckets.reduce((sum, it) => sum + it.count, 0);
  // Middles of buckets are not where their values lie: what is taken is scaled to the mean that was measured.
  const shapeMean = buckets.reduce((sum, it) => sum + it.count * meanWithin(it), 0) / total;
  const mean = meanOf(of);
  const scale = mean !== null && shapeMean > 0 ? Math.min(1.25, Math.max(0.8, mean / shapeMean)) : 1;
  let at = 0;
  let below = 0;
  for (let part = 0; part < count; part++) {
    const place = ((part + random()) / count) * total;
    while (at < buckets.length - 1 && below + buckets[at].count <= place) below += buckets[at++].count;
    values[part] = scale * within(buckets[at], Math.min(1, (place - below) / buckets[at].count));
  }
  return shuffler(random)(values);
}

function meanWithin({ low, high }: { readonly low: number; readonly high: number }): number {
  const top = Number.isFinite(high) ? high : 1.5 * low;
  if (low <= 0) return top / 2;
  return top === low ? low : (top - low) / Math.log(top / low);
}
