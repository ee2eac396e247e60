import { xoroshiro128plus } from 'pure-rand/generator/xoroshiro128plus';

/** Choices that are the same for the same seed. */
export function randomFrom(seed: number) {
  const generator = xoroshiro128plus(seed);
  const below = (most: number) => Math.floor(((generator.next() >>> 0) / 2 ** 32) * most);
  const oneOf = <T>(list: readonly T[]): T => list[below(list.length)];
  const shuffled = <T>(list: readonly T[]): T[] =>
    list
      .map((it) => ({ it, rank: below(2 ** 31) }))
      .sort((a, b) => a.rank - b.rank)
      .map(({ it }) => it);
  return { below, oneOf, shuffled };
}
