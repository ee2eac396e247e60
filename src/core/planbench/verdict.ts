/** How sure it has to be that an alternative is faster, over all that were run. */
const MOST_CHANCE = 0.01;
/** Less than that is not worth a change. */
const LEAST_GAIN = 0.1;

export type Verdict =
  /** Faster beyond the noise, with the chance that it only looks so. */
  | { readonly is: 'better'; readonly chance: number }
  | { readonly is: 'same' | 'worse'; readonly chance: number }
  /** Too few runs for any answer to be sure. */
  | { readonly is: 'unsure'; readonly chance: number };

/** The middle of some values; not a number for none. */
export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  const middle = sorted.length >> 1;
  return sorted.length % 2 === 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
}

/**
 * The chance that so many of `a` lie below those of `b`, or more, if both came from one distribution: Mann and Whitney's test, one-sided and
 * exact. Equal values count against `a`.
 *
 * @returns 0 to 1; 1 when one is empty
 */
export function chanceOfBelow(a: readonly number[], b: readonly number[]): number {
  if (a.length === 0 || b.length === 0) return 1;
  let above = 0;
  for (const x of a) for (const y of b) if (x >= y) above++;
  // Ways in which a sum of so many pairs comes about, by Mann and Whitney's recurrence.
  const ways = countWays(a.length, b.length);
  const all = ways.reduce((sum, it) => sum + it, 0);
  return ways.slice(0, above + 1).reduce((sum, it) => sum + it, 0) / all;
}

/** Worked out once: there are no more than thirty runs. */
const known = new Map<string, number[]>();

/** How many orders of n and m values have u pairs in which the first lies above, for each u. */
function countWays(n: number, m: number): number[] {
  const ways = (i: number, j: number): number[] => {
    if (i === 0 || j === 0) return [1];
    const key = `${i} ${j}`;
    let found = known.get(key);
    if (!found) {
      // The greatest value is one of the first, and lies above all j of the others; or it is one of the others.
      const [first, other] = [ways(i - 1, j), ways(i, j - 1)];
      found = Array.from({ length: i * j + 1 }, (_, u) => (u >= j ? (first[u - j] ?? 0) : 0) + (other[u] ?? 0));
      known.set(key, found);
    }
    return found;
  };
  return ways(n, m);
}

/** Chances of several tests, corrected so that all of them together are as sure as one: Holm's way. In the given order. */
export function correctedChances(chances: readonly number[]): number[] {
  const order = [...chances.keys()].sort((a, b) => chances[a] - chances[b]);
  const corrected = new Array<number>(chances.length);
  let last = 0;
  for (const [rank, at] of order.entries()) {
    last = Math.max(last, Math.min(1, chances[at] * (chances.length - rank)));
    corrected[at] = last;
  }
  return corrected;
}

/**
 * Which alternatives are faster than the original, beyond the noise and by at least a tenth.
 *
 * @param original milliseconds of its runs, without the first
 * @param alternatives the same of each that was run, all against the one original
 */
export function verdicts(original: readonly number[], alternatives: readonly (readonly number[])[]): Verdict[] {
  const faster = correctedChances(alternatives.map((it) => chanceOfBelow(it, original)));
  const slower = correctedChances(alternatives.map((it) => chanceOfBelow(original, it)));
  const base = median(original);
  return alternatives.map((it, at) => {
    if (it.length === 0 || original.length === 0) return { is: 'unsure', chance: 1 };
    const own = median(it);
    if (faster[at] <= MOST_CHANCE && own <= base * (1 - LEAST_GAIN)) return { is: 'better', chance: faster[at] };
    if (slower[at] <= MOST_CHANCE && own > base) return { is: 'worse', chance: slower[at] };
    // Where even the clearest order would not be sure, nothing can be said.
    const clearest = chanceOfBelow(new Array(it.length).fill(0), new Array(original.length).fill(1)) * alternatives.length;
    return { is: clearest > MOST_CHANCE ? 'unsure' : 'same', chance: faster[at] };
  });
}
