import { describe, expect, it } from 'vitest';
import { thinned } from './thinned.ts';

const minutes = (count: number, value: (at: number) => number) =>
  Array.from({ length: count }, (_, at) => [1_000 + at, value(at)] as const);

describe('a curve that is thinned', () => {
  it('stays as it is when it is short enough', () => {
    const points = minutes(5, (at) => at);
    expect(thinned(points, 5)).toBe(points);
  });

  it('has no more points than wanted, in order, with the mean of all', () => {
    const points = minutes(1_440, (at) => Math.sin(at / 50));
    const few = thinned(points, 144);
    expect(few).toHaveLength(144);
    expect(few.map(([minute]) => minute)).toEqual(few.map((_, at) => 1_000 + 10 * at));
    const mean = (of: readonly (readonly [number, number])[]) => of.reduce((sum, [, value]) => sum + value, 0) / of.length;
    expect(mean(few)).toBeCloseTo(mean(points), 10);
    expect(few[3][1]).toBeCloseTo(mean(points.slice(30, 40)), 10);
  });

  it('leaves gaps where nothing was measured', () => {
    const points = minutes(400, () => 1).filter(([minute]) => minute < 1_100 || minute >= 1_300);
    const few = thinned(points, 40);
    expect(few.every(([minute]) => minute < 1_100 || minute >= 1_300)).toBe(true);
    expect(few).toHaveLength(20);
  });

  it('is not spread over more by points outside of the usual minutes', () => {
    expect(thinned([[0, 2] as const, ...minutes(300, () => 1)], 10).length).toBeLessThanOrEqual(10);
  });
});
