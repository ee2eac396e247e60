import { randomExponential, randomLogNormal } from 'd3-random';
import { uniformFloat64 } from 'pure-rand/distribution/uniformFloat64';
import { uniformInt } from 'pure-rand/distribution/uniformInt';
import { xoroshiro128plus } from 'pure-rand/generator/xoroshiro128plus';

/** Repeatable chance: two of one seed give the same for ever. */
export interface Chance {
  /** 0 inclusive to 1 exclusive. */
  readonly unit: () => number;
  /** Whole, both ends inclusive. */
  readonly between: (least: number, most: number) => number;
  /** True with a probability. */
  readonly happens: (probability: number) => boolean;
  readonly exponential: (mean: number) => number;
  /** By its median and how widely it spreads (sigma of the logarithm). */
  readonly logNormal: (median: number, spread: number) => number;
  /** One of several, by weight. */
  readonly pick: <T>(choices: readonly (readonly [T, number])[]) => T;
  readonly hex: (digits: number) => string;
}

export function chance(seed: number): Chance {
  const generator = xoroshiro128plus(mixed(seed));
  const unit = () => uniformFloat64(generator);
  const between = (least: number, most: number) => uniformInt(generator, least, most);
  const standardNormal = randomLogNormal.source(unit)(0, 1);
  return {
    unit,
    between,
    happens: (probability) => unit() < probability,
    exponential: (mean) => randomExponential.source(unit)(1 / mean)(),
    logNormal: (median, spread) => median * standardNormal() ** spread,
    pick: (choices) => {
      let left = unit() * choices.reduce((sum, [, weight]) => sum + weight, 0);
      for (const [choice, weight] of choices) {
        left -= weight;
        if (left < 0) return choice;
      }
      return choices[choices.length - 1][0];
    },
    hex: (digits) => {
      let text = '';
      while (text.length < digits) text += between(0, 0xffff).toString(16).padStart(4, '0');
      return text.slice(0, digits);
    },
  };
}

/** Seeds next to each other begin alike in this generator: they are spread first (the finalizer of MurmurHash3). */
function mixed(seed: number): number {
  let bits = seed | 0;
  bits = Math.imul(bits ^ (bits >>> 16), 0x85ebca6b);
  bits = Math.imul(bits ^ (bits >>> 13), 0xc2b2ae35);
  return bits ^ (bits >>> 16);
}
