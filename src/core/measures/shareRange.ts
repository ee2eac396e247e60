/** A value below which a share of some lies, and between which values that is for all that they stand for. */
export interface ShareRange {
  readonly value: number;
  readonly low: number;
  readonly high: number;
}

/** Standard errors on each side of a range that holds in 95 of 100 samples. */
const SPREAD = 1.96;

/**
 * A quantile of a fair sample, with its range by order statistics (Conover: Practical Nonparametric Statistics, confidence interval for a quantile).
 *
 * @param sorted ascending @param share from 0 to 1
 * @param independent how many of them say something by themselves: calls of one request are alike, and count as one
 * @returns undefined when there are too few for a range that has both ends
 */
export function shareRange(sorted: ArrayLike<number>, share: number, independent = sorted.length): ShareRange | undefined {
  const count = Math.min(independent, sorted.length);
  const middle = count * share;
  const spread = SPREAD * Math.sqrt(count * share * (1 - share));
  const [low, high] = [Math.floor(middle - spread), Math.ceil(middle + spread) + 1];
  if (low < 1 || high > count) return undefined;
  const at = (rank: number) => sorted[Math.min(sorted.length - 1, Math.floor(((rank - 0.5) / count) * sorted.length))];
  return { value: sorted[Math.max(0, Math.ceil(share * sorted.length) - 1)], low: at(low), high: at(high) };
}
