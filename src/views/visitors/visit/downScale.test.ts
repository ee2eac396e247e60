import { describe, expect, it } from 'vitest';
import { downScale } from './downScale.ts';

const ROW = 20;

describe('the moments of a visit, downwards', () => {
  it('lie on one scale, and text gets the room it needs', () => {
    const { stretches, height } = downScale([0, 100, 2_000], [], 3_000, 0.1, ROW);
    // 100 ms would be 10 pixels high: a row of text needs 20.
    expect(stretches.map(({ y, height: own }) => [y, own])).toEqual([
      [0, 20],
      [20, 190],
      [210, 100],
    ]);
    expect(height).toBe(310);
  });

  it('fold long stretches in which nothing happens, and no short ones', () => {
    const { stretches } = downScale([0, 60_000], [{ from: 1_000, to: 60_000 }], 61_000, 0.1, ROW);
    expect(stretches.map(({ from, to, isFolded }) => [from, to, isFolded])).toEqual([
      [0, 1_000, false],
      [1_000, 60_000, true],
      [60_000, 61_000, false],
    ]);
    expect(stretches[1].height).toBe(26);
    expect(downScale([0], [{ from: 0, to: 2_900 }], 2_900, 0.1, ROW).stretches[0].isFolded).toBe(false);
  });

  it('keep their order, without gap or overlap, whatever they are', () => {
    const edges = [0, 1, 2, 700, 701, 9_000, 40_000];
    const quiet = [
      { from: 2_000, to: 8_999 },
      { from: 9_001, to: 39_000 },
    ];
    const { stretches, height, at } = downScale(edges, quiet, 41_000, 0.05, ROW);
    let y = 0;
    for (const it of stretches) {
      expect(it.y).toBeCloseTo(y, 9);
      expect(it.height).toBeGreaterThan(0);
      y += it.height;
    }
    expect(height).toBeCloseTo(y, 9);
    const places = Array.from({ length: 42 }, (_, second) => at(second * 1_000));
    for (const [second, place] of places.slice(1).entries()) expect(place).toBeGreaterThan(places[second]);
    expect([at(-5), at(41_000), at(90_000)]).toEqual([0, height, height]);
  });

  it('of a visit without length are nothing', () => {
    const { stretches, height, at } = downScale([0], [], 0, 0.1, ROW);
    expect([stretches, height, at(0)]).toEqual([[], 0, 0]);
  });
});
