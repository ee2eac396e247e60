import { logGamma } from '../../verdict/betaBinomial.ts';

/** The chance of a normal deviate above `z`; right to about 1e-15 of its size (erfc by a continued fraction beyond 3, by its series below). */
export function normalTail(z: number): number {
  if (z < 0) return 1 - normalTail(-z);
  const x = z / Math.SQRT2;
  return z > 3 ? 0.5 * erfcFraction(x) : 0.5 * (1 - erfSeries(x));
}

/** The chance of a chi-square of one degree of freedom above `x`. */
export function chiSquareTail(x: number): number {
  return x <= 0 ? 1 : 2 * normalTail(Math.sqrt(x));
}

function erfSeries(x: number): number {
  let term = x;
  let sum = x;
  for (let n = 1; Math.abs(term) > 1e-17 * Math.abs(sum); n++) {
    term *= (-x * x) / n;
    sum += term / (2 * n + 1);
    if (n > 200) break;
  }
  return (2 / Math.sqrt(Math.PI)) * sum;
}

function erfcFraction(x: number): number {
  let fraction = 0;
  for (let n = 60; n >= 1; n--) fraction = n / 2 / (x + fraction);
  return Math.exp(-x * x) / (Math.sqrt(Math.PI) * (x + fraction));
}

/** The chance that Student's t of so many degrees of freedom is above `t`. */
export function studentTail(t: number, degrees: number): number {
  const tail = 0.5 * incompleteBeta(degrees / (degrees + t * t), degrees / 2, 0.5);
  return t >= 0 ? tail : 1 - tail;
}

/** The regularised incomplete beta function, by its continued fraction (modified Lentz). */
export function incompleteBeta(x: number, a: number, b: number): number {
  if (x <= 0) return 0;
  if (x >= 1) return 1;
  if (x > (a + 1) / (a + b + 2)) return 1 - incompleteBeta(1 - x, b, a);
  const front = Math.exp(logGamma(a + b) - logGamma(a) - logGamma(b) + a * Math.log(x) + b * Math.log1p(-x)) / a;
  const tiny = 1e-300;
  let f = 1;
  let c = 1;
  let d = 0;
  for (let i = 0; i <= 500; i++) {
    const m = Math.floor(i / 2);
    const numerator =
      i === 0
        ? 1
        : i % 2 === 0
          ? (m * (b - m) * x) / ((a + 2 * m - 1) * (a + 2 * m))
          : (-(a + m) * (a + b + m) * x) / ((a + 2 * m) * (a + 2 * m + 1));
    d = 1 + numerator * d;
    d = 1 / (Math.abs(d) < tiny ? tiny : d);
    c = 1 + numerator / c;
    if (Math.abs(c) < tiny) c = tiny;
    f *= c * d;
    if (Math.abs(1 - c * d) < 1e-15) break;
  }
  return front * (f - 1);
}

/**
 * Fisher's exact test, one-sided: the chance that of `marked` ones among `all` at least `k` are among `drawn` drawn ones.
 * Source: R. A. Fisher, Statistical Methods for Research Workers, 5th edition, 1934.
 */
export function fisherTail(k: number, drawn: number, marked: number, all: number): number {
  const least = Math.max(0, drawn + marked - all);
  const most = Math.min(drawn, marked);
  if (k <= least) return 1;
  if (k > most) return 0;
  const logChoose = (n: number, r: number) => logGamma(n + 1) - logGamma(r + 1) - logGamma(n - r + 1);
  const first = logChoose(marked, k) + logChoose(all - marked, drawn - k) - logChoose(all, drawn);
  let term = 1;
  let sum = 1;
  for (let at = k; at < most; at++) {
    term *= ((marked - at) / (at + 1)) * ((drawn - at) / (all - marked - drawn + at + 1));
    sum += term;
    if (term < sum * 1e-16) break;
  }
  return Math.min(1, Math.exp(first) * sum);
}

/** The value that Student's t of so many degrees of freedom exceeds with a chance; by bisection. */
export function studentQuantile(chance: number, degrees: number): number {
  let [low, high] = [0, 1000];
  for (let i = 0; i < 100; i++) {
    const middle = (low + high) / 2;
    if (studentTail(middle, degrees) > chance) low = middle;
    else high = middle;
  }
  return high;
}
