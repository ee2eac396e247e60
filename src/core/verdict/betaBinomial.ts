/**
 * How likely it is that of `n` calls at least `k` are marked, when the share of marked calls is itself uncertain: the upper tail of the
 * beta-binomial distribution of a mean share and a variance inflated over that of the binomial.
 *
 * @param share the expected share, between 0 and 1, exclusive
 * @param inflation the variance of the count over n·share·(1 − share); at 1 or below the distribution is the binomial
 * @returns 1 when `k` is not above what is expected; exact to rounding else. Takes time by n − k at most, and less for small tails
 */
export function upperTail(k: number, n: number, share: number, inflation: number): number {
  if (k <= n * share) return 1;
  // (1 + (n − 1)·rho) is the inflation of a beta-binomial; rho = 1 / (alpha + beta + 1).
  const rho = n > 1 ? Math.min(MOST_RHO, Math.max(0, (inflation - 1) / (n - 1))) : 0;
  const isBinomial = rho < 1e-12;
  const size = isBinomial ? 0 : 1 / rho - 1;
  const [alpha, beta] = [share * size, (1 - share) * size];
  const first = isBinomial
    ? logChoose(n, k) + k * Math.log(share) + (n - k) * Math.log1p(-share)
    : logChoose(n, k) + logBeta(k + alpha, n - k + beta) - logBeta(alpha, beta);
  // The terms by their ratio, in units of the first.
  let sum = 1;
  let term = 1;
  for (let at = k; at < n; at++) {
    term *= isBinomial
      ? ((n - at) / (at + 1)) * (share / (1 - share))
      : ((n - at) * (at + alpha)) / ((at + 1) * (n - at - 1 + beta));
    sum += term;
    if (term < sum * 1e-15) break;
  }
  return Math.min(1, Math.exp(first) * sum);
}

const MOST_RHO = 0.99;

function logChoose(n: number, k: number): number {
  return logGamma(n + 1) - logGamma(k + 1) - logGamma(n - k + 1);
}

function logBeta(a: number, b: number): number {
  return logGamma(a) + logGamma(b) - logGamma(a + b);
}

/** The logarithm of the gamma function of a positive number (Stirling's series from 10 on, the recurrence below); right to 1e-12. */
export function logGamma(x: number): number {
  let shift = 0;
  let at = x;
  while (at < 10) {
    shift -= Math.log(at);
    at++;
  }
  const inverse = 1 / at;
  const square = inverse * inverse;
  const series = inverse * (1 / 12 - square * (1 / 360 - square * (1 / 1260 - square * (1 / 1680 - square / 1188))));
  return shift + (at - 0.5) * Math.log(at) - at + 0.5 * Math.log(2 * Math.PI) + series;
}
