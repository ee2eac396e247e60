import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { IndexTable } from './indexTable.ts';

/** Words among few, so that keys differ in any one of their words, and any words. */
const word = fc.oneof(fc.integer({ min: 0, max: 2 }), fc.integer({ min: 0, max: 2 ** 32 - 1 }));
const key = fc.tuple(word, word, word, word);

describe('places of keys', () => {
  it('are those of a list without repeats', () => {
    fc.assert(
      fc.property(fc.array(key, { maxLength: 200 }), (keys) => {
        const table = new IndexTable(keys.length);
        const list: string[] = [];
        for (const words of keys) {
          const text = words.join(' ');
          expect(table.find(...words)).toBe(list.indexOf(text));
          if (!list.includes(text)) list.push(text);
          expect(table.index(...words)).toBe(list.indexOf(text));
        }
        expect(table.size).toBe(list.length);
      }),
    );
  });

  it('are found in a table without any', () => expect(new IndexTable(0).find(1, 2, 3, 4)).toBe(-1));
});
