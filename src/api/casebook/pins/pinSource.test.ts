import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { about, fewerSteps, firstOf, found, NothingToPin } from './pinSource.ts';

describe('what is pinned', () => {
  it('is refused in words when it is not in the answer; nothing and zero are something', () => {
    for (const gone of [undefined, null]) {
      expect(() => found(gone, 'The plate "berths"')).toThrow(NothingToPin);
      expect(() => found(gone, 'The plate "berths"')).toThrow('The plate "berths" is not in this window any more.');
    }
    expect([found(0, 'x'), found('', 'x'), found(false, 'x')]).toEqual([0, '', false]);
  });

  it('is about each name once, as many as may be, with its kind', () => {
    expect(about('service', ['berths', '', 'holds', 'berths'])).toEqual(['service:berths', 'service:holds']);
    expect(about('host', ['a', 'b', 'c'], 2)).toEqual(['host:a', 'host:b']);
    expect(about('host', ['x'.repeat(500)])[0]).toHaveLength('host:'.length + 200);
  });

  it('says how many of a list it leaves out', () => {
    fc.assert(
      fc.property(fc.array(fc.integer()), fc.nat({ max: 20 }), (all, most) => {
        const { shown, leftOut } = firstOf(all, most);
        expect(shown).toEqual(all.slice(0, most));
        expect(shown.length + leftOut).toBe(all.length);
      }),
    );
  });

  it('has no more steps than it is wide, and every peak', () => {
    const values = fc.array(fc.option(fc.double({ noNaN: true, noDefaultInfinity: true })), { maxLength: 900 });
    fc.assert(
      fc.property(values, fc.integer({ min: 1, max: 240 }), (all, most) => {
        const { values: fewer, each } = fewerSteps(all, most);
        expect(fewer.length).toBeLessThanOrEqual(most);
        expect(fewer.length).toBe(Math.ceil(all.length / each));
        const highest = (of: readonly (number | null)[]) =>
          of.reduce<number>((high, it) => (it === null ? high : Math.max(high, it)), Number.NEGATIVE_INFINITY);
        expect(highest(fewer)).toBe(highest(all));
        for (const [at, it] of fewer.entries())
          expect(it === null).toBe(all.slice(at * each, (at + 1) * each).every((value) => value === null));
      }),
    );
    expect(fewerSteps([1, Number.NaN, Number.POSITIVE_INFINITY, null], 1)).toEqual({ each: 4, values: [1] });
  });
});
