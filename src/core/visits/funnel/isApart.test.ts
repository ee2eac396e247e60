import fc from 'fast-check';
import { xoroshiro128plus } from 'pure-rand/generator/xoroshiro128plus';
import { describe, expect, it } from 'vitest';
import { isApart } from './isApart.ts';

const random = (seed: number) => {
  const generator = xoroshiro128plus(seed);
  return () => (generator.next() >>> 0) / 2 ** 32;
};

describe('a group of visits', () => {
  it('that leaves as all others do is hardly ever told apart, though the one that looks worst of forty is taken', () => {
    const draw = random(11);
    let apart = 0;
    const runs = 2_000;
    for (let run = 0; run < runs; run++) {
      const groups = Array.from({ length: 40 }, () => {
        const reached = 5 + Math.floor(draw() * 40);
        let left = 0;
        for (let visit = 0; visit < reached; visit++) if (draw() < 0.3) left++;
        return { reached, left };
      });
      const reached = groups.reduce((sum, it) => sum + it.reached, 0);
      const all = { reached, wentOn: reached - groups.reduce((sum, it) => sum + it.left, 0) };
      if (groups.some((it) => isApart(it, all))) apart++;
    }
    // One in a hundred windows at most says what is not so.
    expect(apart / runs).toBeLessThan(0.01);
  });

  it('that is thrown out while others go on is told apart', () => {
    expect(isApart({ reached: 30, left: 27 }, { reached: 400, wentOn: 400 - 27 - 74 })).toBe(true);
    expect(isApart({ reached: 30, left: 8 }, { reached: 400, wentOn: 400 - 8 - 74 })).toBe(false);
  });

  it('is never apart when it leaves less than the others, is all of them, or is nobody', () => {
    fc.assert(
      fc.property(fc.nat(200), fc.nat(200), fc.nat(200), fc.nat(200), (reached, left, more, moreLeft) => {
        const group = { reached, left: Math.min(left, reached) };
        const others = { reached: more, left: Math.min(moreLeft, more) };
        const all = { reached: reached + more, wentOn: reached + more - group.left - others.left };
        const isWorse = reached > 0 && more > 0 && group.left / reached > others.left / more;
        if (!isWorse) expect(isApart(group, all)).toBe(false);
      }),
    );
  });
});
