import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { atRank } from './atRank.ts';

describe('the value at a place', () => {
  it('is the one that sorting puts there, of few values and of many, small ones and the largest', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 5_000 }),
        fc.constantFrom(3, 70_000, 2 ** 32),
        fc.integer(),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (length, below, seed, share) => {
          let state = seed >>> 0;
          const values = Uint32Array.from({ length }, () => {
            state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
            return state % below;
          });
          const given = values.slice();
          const rank = Math.min(length - 1, Math.floor(share * length));
          expect(atRank(values, rank)).toBe([...given].sort((a, b) => a - b)[rank]);
          expect(values).toEqual(given);
        },
      ),
      { numRuns: 40 },
    );
  });
});
