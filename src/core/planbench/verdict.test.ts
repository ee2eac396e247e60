import fc from 'fast-check';
import jstat from 'jstat';

const { jStat } = jstat;

import { describe, expect, it } from 'vitest';
import { chanceOfBelow, correctedChances, median, verdicts } from './verdict.ts';

/** All ways to choose so many of some values. */
function choices<T>(values: readonly T[], count: number): T[][] {
  if (count === 0) return [[]];
  return values.flatMap((it, at) => choices(values.slice(at + 1), count - 1).map((rest) => [it, ...rest]));
}

describe('the chance that runs only look faster', () => {
  it('is what counting all orders gives', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 1, max: 1000 }), { minLength: 4, maxLength: 9 }),
        fc.integer({ min: 1, max: 3 }),
        (values, count) => {
          const [a, b] = [values.slice(0, count), values.slice(count)];
          const above = (own: readonly number[]) =>
            own.reduce((sum, x) => sum + values.filter((y) => !own.includes(y) && x >= y).length, 0);
          const all = choices(values, count);
          const expected = all.filter((own) => above(own) <= above(a)).length / all.length;
          expect(chanceOfBelow(a, b)).toBeCloseTo(expected, 12);
        },
      ),
    );
  });

  it('is near the normal approximation for many runs', () => {
    const a = Array.from({ length: 25 }, (_, at) => at * 2);
    const b = Array.from({ length: 25 }, (_, at) => at * 2 + 9);
    const above = a.reduce((sum, x) => sum + b.filter((y) => x >= y).length, 0);
    const z = (above + 0.5 - 312.5) / Math.sqrt((25 * 25 * 51) / 12);
    expect(chanceOfBelow(a, b)).toBeCloseTo(jStat.erfc(-z / Math.SQRT2) / 2, 2);
  });

  it('is corrected for the number of tests', () => {
    expect(correctedChances([0.01, 0.04, 0.03])).toEqual([0.03, 0.06, 0.06]);
    expect(correctedChances([])).toEqual([]);
  });
});

describe('the verdict', () => {
  const nine = (from: number) => Array.from({ length: 9 }, (_, at) => from + at / 10);

  it('is better only beyond the noise and by a tenth', () => {
    const [faster, hardly, same, slower] = verdicts(nine(100), [nine(50), nine(95), nine(100), nine(200)]);
    expect(faster.is).toBe('better');
    expect(hardly.is).toBe('same');
    expect(same.is).toBe('same');
    expect(slower.is).toBe('worse');
  });

  it('is unsure with too few runs', () => {
    expect(verdicts([100, 101], [[1, 2]])[0].is).toBe('unsure');
    expect(verdicts([], [[1]])[0].is).toBe('unsure');
  });

  it('calls hardly any of equal ways better', () => {
    let seed = 7;
    const random = () => {
      seed = (seed * 1103515245 + 12345) % 2 ** 31;
      return seed / 2 ** 31;
    };
    const runs = () => Array.from({ length: 9 }, () => 100 * Math.exp(random() + random() - 1));
    let better = 0;
    for (let trial = 0; trial < 400; trial++)
      better += verdicts(runs(), Array.from({ length: 14 }, runs)).filter((it) => it.is === 'better').length;
    // A hundredth of the trials at most, for all alternatives together.
    expect(better / 400).toBeLessThanOrEqual(0.015);
  });

  it('takes the middle', () => {
    expect(median([3, 1, 2])).toBe(2);
    expect(median([4, 1, 2, 3])).toBe(2.5);
  });
});
