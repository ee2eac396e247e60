import jstat from 'jstat';
import { describe, expect, it } from 'vitest';
import { chiSquareTail, fisherTail, incompleteBeta, normalTail, studentQuantile, studentTail } from './tails.ts';

const { jStat } = jstat;

/** To a millionth of the chance itself: chances are small. */
function expectNear(found: number, wanted: number): void {
  expect(Math.abs(found - wanted)).toBeLessThanOrEqual(1e-6 * Math.max(wanted, 1e-12));
}

describe('chances agree with a statistics package to 1e-6', () => {
  it.each([-2, -0.3, 0, 0.5, 1, 1.96, 2.9, 3.1, 4, 5])('of the normal distribution at %d', (z) => {
    expectNear(normalTail(z), 0.5 * jStat.erfc(z / Math.SQRT2));
  });

  it.each([0.1, 1, 3.841, 6.63, 10, 25])('of chi-square at %d', (x) => {
    expectNear(chiSquareTail(x), jStat.erfc(Math.sqrt(x / 2)));
  });

  it.each([
    [0.5, 63],
    [2, 63],
    [4.2, 63],
    [-1.5, 31],
    [3, 5],
    [6, 2],
  ])('of Student’s t at %d with %d degrees', (t, degrees) => {
    const wanted = jStat.ibeta(degrees / (degrees + t * t), degrees / 2, 0.5) / 2;
    expectNear(studentTail(t, degrees), t >= 0 ? wanted : 1 - wanted);
  });

  it.each([
    [0.2, 2, 3],
    [0.7, 31.5, 0.5],
    [0.01, 0.5, 0.5],
    [0.99, 10, 1],
  ])('of the incomplete beta function at %d, %d, %d', (x, a, b) => {
    expectNear(incompleteBeta(x, a, b), jStat.ibeta(x, a, b));
  });

  it.each([
    [3, 5, 8, 20],
    [7, 10, 12, 60],
    [40, 100, 90, 900],
    [5, 5, 5, 200],
  ])('of Fisher’s exact test: %d of %d drawn, %d of %d marked', (k, drawn, marked, all) => {
    let wanted = 0;
    for (let at = k; at <= Math.min(drawn, marked); at++) wanted += jStat.hypgeom.pdf(at, all, marked, drawn);
    expectNear(fisherTail(k, drawn, marked, all), wanted);
  });
});

it('the quantile of Student’s t is where its tail is', () => {
  expect(studentTail(studentQuantile(0.025, 63), 63)).toBeCloseTo(0.025, 12);
  expect(studentQuantile(0.025, 63)).toBeCloseTo(1.9983, 4);
});
