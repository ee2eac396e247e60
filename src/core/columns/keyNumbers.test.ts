import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { KeyNumbers } from './keyNumbers.ts';

describe('numbers of keys', () => {
  it('are those of the order in which the keys come, whether the bound allows a table or not', () => {
    fc.assert(
      fc.property(fc.constantFrom(50, 2 ** 22, 2 ** 22 + 1, 2 ** 40), fc.array(fc.nat({ max: 49 })), (bound, places) => {
        // Spread over all that is below the bound, its last key too.
        const keys = places.map((place) => bound - 1 - place * Math.floor((bound - 1) / 49));
        const numbers = new KeyNumbers(bound);
        const order = [...new Set(keys)];
        expect(keys.map((key) => numbers.of(key))).toEqual(keys.map((key) => order.indexOf(key)));
        expect(numbers.count).toBe(order.length);
      }),
    );
  });
});
