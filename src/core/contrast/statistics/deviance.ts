/*
 * How well a set of requests separates what is different between two populations: twice the logarithm of a likelihood ratio, the larger the
 * better. The difference explained does not tell a cause from what contains it; these do.
 */

const xlogx = (x: number) => (x > 0 ? x * Math.log(x) : 0);

/** G² of a 2 × 2 table of counts: in the set and not, of A and of B. */
export function tableDeviance(inA: number, inB: number, outA: number, outB: number): number {
  const all = inA + inB + outA + outB;
  return Math.max(
    0,
    2 *
      (xlogx(inA) +
        xlogx(inB) +
        xlogx(outA) +
        xlogx(outB) -
        xlogx(inA + inB) -
        xlogx(outA + outB) -
        xlogx(inA + outA) -
        xlogx(inB + outB) +
        xlogx(all)),
  );
}

/** Requests of one cell: in the set or not, of A or of B. Sums of a value and of its squares. */
export interface Cell {
  readonly n: number;
  readonly sum: number;
  readonly squares: number;
}

/**
 * Whether A differs from B in the set otherwise than outside of it, for values that are normal about a mean of each cell: the likelihood ratio
 * of four means against means that differ by set and by side alike. [in A, in B, out A, out B]
 */
export function interactionDeviance(cells: readonly [Cell, Cell, Cell, Cell]): number {
  if (cells.some(({ n }) => n <= 0)) return 0;
  const all = cells.reduce((sum, { n }) => sum + n, 0);
  const within = cells.reduce((sum, { n, sum: of, squares }) => sum + Math.max(0, squares - (of * of) / n), 0);
  const means = cells.map(({ n, sum }) => sum / n);
  const difference = means[0] - means[1] - means[2] + means[3];
  // What forcing the difference of the differences to zero adds to the sum of squares.
  const added = (difference * difference) / cells.reduce((sum, { n }) => sum + 1 / n, 0);
  return logRatio(all, within, added);
}

/** Whether values of two cells differ, for values that are normal about a mean of each. */
export function shiftDeviance(one: Cell, other: Cell): number {
  if (one.n <= 0 || other.n <= 0) return 0;
  const within = [one, other].reduce((sum, { n, sum: of, squares }) => sum + Math.max(0, squares - (of * of) / n), 0);
  const difference = one.sum / one.n - other.sum / other.n;
  return logRatio(one.n + other.n, within, (difference * difference) / (1 / one.n + 1 / other.n));
}

function logRatio(n: number, within: number, added: number): number {
  if (within <= 0) return added > 0 ? n * 50 : 0;
  return n * Math.log1p(added / within);
}

/** Counts of a cell: those that failed, and those that did not. */
export interface Failing {
  readonly bad: number;
  readonly good: number;
}

/**
 * Whether A fails otherwise in the set than B leads to expect: the likelihood ratio of two shares of A against two that differ by as much as those
 * of B do. Differences, not odds: where nothing failed before, odds tell nothing. [in A, in B, out A, out B]
 */
export function failingShiftDeviance([inA, inB, outA, outB]: readonly [Failing, Failing, Failing, Failing]): number {
  const share = ({ bad, good }: Failing) => (bad + 0.5) / (bad + good + 1);
  const shift = inB.bad + inB.good > 0 && outB.bad + outB.good > 0 ? share(inB) - share(outB) : 0;
  const likelihood = ({ bad, good }: Failing, p: number) =>
    (bad > 0 ? bad * Math.log(Math.max(p, 1e-9)) : 0) + (good > 0 ? good * Math.log(Math.max(1 - p, 1e-9)) : 0);
  const observed = ({ bad, good }: Failing) => (bad + good > 0 ? bad / (bad + good) : 0);
  const free = likelihood(inA, observed(inA)) + likelihood(outA, observed(outA));
  const tied = (p: number) => likelihood(outA, p) + likelihood(inA, p + shift);
  // The likelihood has one peak: golden section.
  let [low, high] = [Math.max(0, -shift), Math.min(1, 1 - shift)];
  const ratio = (Math.sqrt(5) - 1) / 2;
  for (let step = 0; step < 50; step++) {
    const [one, other] = [high - ratio * (high - low), low + ratio * (high - low)];
    if (tied(one) < tied(other)) low = one;
    else high = other;
  }
  return Math.max(0, 2 * (free - tied((low + high) / 2)));
}
