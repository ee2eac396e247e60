/** Standard normal quantiles: of the power of 0.8. */
const POWER = 0.8416;

/**
 * How many calls it takes, in all, to tell a share from the usual one four times out of five (the normal approximation to two binomials).
 *
 * @param unrest variance over that of the binomial @param level the chance of a false finding that is allowed
 */
export function moreToTell(usual: number, share: number, unrest: number, level: number): number {
  if (share <= usual) return Number.POSITIVE_INFINITY;
  const spread = normalQuantile(level) * Math.sqrt(usual * (1 - usual)) + POWER * Math.sqrt(share * (1 - share));
  return unrest * (spread / (share - usual)) ** 2;
}

/** How many standard deviations above the mean a chance of `level` lies, for levels below a half (Abramowitz and Stegun 26.2.23; right to 5e-4). */
export function normalQuantile(level: number): number {
  const t = Math.sqrt(-2 * Math.log(level));
  return t - (2.515517 + 0.802853 * t + 0.010328 * t * t) / (1 + 1.432788 * t + 0.189269 * t * t + 0.001308 * t ** 3);
}
