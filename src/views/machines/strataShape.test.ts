import { describe, expect, it } from 'vitest';
import { placesOf, vesselTop } from './strataShape.ts';

const sum = (values: readonly number[]) => values.reduce((all, it) => all + it, 0);

describe('columns next to each other', () => {
  it('share the width, those with figures three times as wide', () => {
    const { left, width } = placesOf(4, new Set([1]));
    expect(width).toEqual([1 / 6, 3 / 6, 1 / 6, 1 / 6]);
    expect(left).toEqual([0, 1 / 6, 4 / 6, 5 / 6]);
  });

  it('are alike where there is no room for so many wide ones, or for none', () => {
    expect(new Set(placesOf(40, new Set(Array.from({ length: 11 }, (_, at) => at))).width).size).toBe(1);
    expect(new Set(placesOf(5, new Set()).width).size).toBe(1);
    expect(placesOf(0, new Set())).toEqual({ left: [], width: [] });
  });

  it('fill the width, whatever they are', () => {
    for (const columns of [1, 7, 60])
      for (const wide of [0, 1, 10]) {
        const { left, width } = placesOf(columns, new Set(Array.from({ length: Math.min(wide, columns) }, (_, at) => at)));
        expect(sum(width)).toBeCloseTo(1, 9);
        for (const [at, it] of left.entries()) expect(it).toBeCloseTo(sum(width.slice(0, at)), 9);
      }
  });
});

describe('the top of a vessel', () => {
  it('leaves what is usual at two fifths, and holds what is read', () => {
    expect(vesselTop(3, 4, false)).toBe(10);
    expect(vesselTop(25, 4, false)).toBe(25);
    expect(vesselTop(0.9, 0.5, true)).toBe(1);
    expect(vesselTop(0.1, 0.1, true)).toBe(0.25);
  });

  it('is never nothing', () => {
    expect(vesselTop(0, 0, true)).toBe(0.02);
    expect(vesselTop(null, null, true)).toBe(0.02);
    expect(vesselTop(null, null, false)).toBeGreaterThan(0);
  });
});
