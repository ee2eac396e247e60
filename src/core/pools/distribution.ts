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

/** Draws values at random. Prepared once, as it is drawn from very often. @param random 0 inclusive to 1 exclusive */
export function sampler(of: Distribution, random: () => number): () => number {
  const buckets = of.buckets.filter(({ count }) => count > 0);
  if (buckets.length === 0) return () => 0;
  const ends: number[] = [];
  let total = 0;
  for (const { count } of buckets) {
    total += count;
    ends.push(total);
  }
  // Middles of buckets are not where their values lie: what is drawn is scaled to the mean that was measured.
  const drawnMean = buckets.reduce((sum, it) => sum + it.count * meanWithin(it), 0) / total;
  const mean = meanOf(of);
  const scale = mean !== null && drawnMean > 0 ? Math.min(1.25, Math.max(0.8, mean / drawnMean)) : 1;
  return () => {
    const place = random() * total;
    let [low, high] = [0, ends.length - 1];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (ends[middle] > place) high = middle;
      else low = middle + 1;
    }
    return scale * within(buckets[low], random());
  };
}

function meanWithin({ low, high }: { readonly low: number; readonly high: number }): number {
  const top = Number.isFinite(high) ? high : 1.5 * low;
  if (low <= 0) return top / 2;
  return top === low ? low : (top - low) / Math.log(top / low);
}
