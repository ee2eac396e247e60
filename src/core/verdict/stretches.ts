/** Running sums: the sum from `a` to `b`, inclusive, is `result[b + 1] - result[a]`. */
export function sumsOf(counts: readonly number[]): number[] {
  const sums = [0];
  for (const count of counts) sums.push(sums[sums.length - 1] + count);
  return sums;
}

/** So many blocks that are not worse may lie between those that are. */
const GAP = 2;

/**
 * A stretch with what is next to it and as bad.
 *
 * @param stretch first and last block @param bound a share of marked calls from which on a block is as bad
 */
export function widened(
  calls: readonly number[],
  marked: readonly number[],
  [first, last]: readonly [number, number],
  bound: number,
): [number, number] {
  const isBad = (at: number) => calls[at] > 0 && marked[at] / calls[at] >= bound;
  let from = first;
  let to = last;
  for (let at = first - 1; at >= Math.max(0, from - 1 - GAP); at--) if (isBad(at)) from = at;
  for (let at = last + 1; at <= Math.min(calls.length - 1, to + 1 + GAP); at++) if (isBad(at)) to = at;
  while (from < to && !isBad(from)) from++;
  while (to > from && !isBad(to)) to--;
  return [from, to];
}
