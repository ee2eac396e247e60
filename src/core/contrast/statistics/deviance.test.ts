import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { failingShiftDeviance, interactionDeviance, shiftDeviance, tableDeviance } from './deviance.ts';

const count = fc.integer({ min: 1, max: 400 });
const values = fc.array(fc.double({ min: -5, max: 5, noNaN: true }), { minLength: 2, maxLength: 15 });
const cellOf = (of: readonly number[]) => ({
  n: of.length,
  sum: of.reduce((sum, it) => sum + it, 0),
  squares: of.reduce((sum, it) => sum + it * it, 0),
});

/** The least sum of squares of two groups about means that are free. */
function squaresAbout(groups: readonly (readonly number[])[], means: readonly number[]): number {
  return groups.reduce((sum, group, at) => sum + group.reduce((all, it) => all + (it - means[at]) ** 2, 0), 0);
}

describe('how well a set separates', () => {
  it('by counts is twice the sum of observed times the logarithm of observed over expected', () => {
    fc.assert(
      fc.property(count, count, count, count, (inA, inB, outA, outB) => {
        const all = inA + inB + outA + outB;
        const expected = (row: number, column: number) => (row * column) / all;
        const wanted =
          2 *
          [
            [inA, expected(inA + inB, inA + outA)],
            [inB, expected(inA + inB, inB + outB)],
            [outA, expected(outA + outB, inA + outA)],
            [outB, expected(outA + outB, inB + outB)],
          ].reduce((sum, [observed, of]) => sum + observed * Math.log(observed / of), 0);
        expect(tableDeviance(inA, inB, outA, outB)).toBeCloseTo(Math.max(0, wanted), 6);
      }),
    );
  });

  it('by two means is the logarithm of the ratio of the sums of squares, times the values', () => {
    fc.assert(
      fc.property(values, values, (one, other) => {
        const mean = (of: readonly number[]) => of.reduce((sum, it) => sum + it, 0) / of.length;
        const all = [...one, ...other];
        const free = squaresAbout([one, other], [mean(one), mean(other)]);
        fc.pre(free > 1e-3);
        const tied = squaresAbout([all], [mean(all)]);
        expect(shiftDeviance(cellOf(one), cellOf(other))).toBeCloseTo(all.length * Math.log(tied / free), 5);
      }),
    );
  });

  it('of a difference of differences is nothing when set and side add up, whatever either does alone', () => {
    const noise = [-0.3, 0.1, 0.4, -0.2];
    const at = (mean: number) => cellOf(noise.map((it) => mean + it));
    expect(interactionDeviance([at(9), at(7), at(4), at(2)])).toBeCloseTo(0, 9);
    expect(interactionDeviance([at(12), at(7), at(4), at(2)])).toBeGreaterThan(10);
  });

  it('of failures is nothing when A fails as B leads to expect, and is known where nothing failed before', () => {
    const cell = (bad: number, all: number) => ({ bad, good: all - bad });
    expect(failingShiftDeviance([cell(300, 1000), cell(300, 1000), cell(100, 1000), cell(100, 1000)])).toBeLessThan(0.1);
    expect(failingShiftDeviance([cell(60, 100), cell(0, 100), cell(0, 900), cell(0, 900)])).toBeGreaterThan(100);
    // The same of a set that is half of something else separates worse.
    expect(failingShiftDeviance([cell(60, 200), cell(0, 200), cell(0, 800), cell(0, 800)])).toBeLessThan(
      failingShiftDeviance([cell(60, 100), cell(0, 100), cell(0, 900), cell(0, 900)]),
    );
  });
});
