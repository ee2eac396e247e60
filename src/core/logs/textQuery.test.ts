import { describe, expect, it } from 'vitest';
import { fitsText, LONGEST_QUERY, parseTextQuery, type TextQuery } from './textQuery.ts';

const read = (typed: string): TextQuery => {
  const query = parseTextQuery(typed);
  if (typeof query === 'string') throw new Error(query);
  return query;
};
const fits = (typed: string, text: string) => fitsText(read(typed), text);

describe('what is typed', () => {
  it('is words, phrases, and what must not be there', () => {
    expect(read('Key "in this order" -gone -"not this"').terms).toEqual([
      { text: 'key', without: false },
      { text: 'in this order', without: false },
      { text: 'gone', without: true },
      { text: 'not this', without: true },
    ]);
    expect(read('  ')).toEqual({ terms: [], pattern: null });
    // A phrase that is not closed yet, while it is typed.
    expect(read('"half a').terms).toEqual([{ text: 'half a', without: false }]);
  });

  it('is a pattern between slashes, after words or alone; a path is none', () => {
    expect(fits('refused /k-\\d+/', 'key k-0931 refused')).toBe(true);
    expect(fits('refused /k-\\d+/', 'key k-none refused')).toBe(false);
    expect(read('/holds/7').pattern).toBeNull();
    expect(fits('/holds/7', 'GET /HOLDS/7 answered 200')).toBe(true);
  });

  it('is refused in words when it cannot be looked for', () => {
    expect(parseTextQuery('/(/')).toContain('cannot be used');
    expect(parseTextQuery('/(?=a)b/')).toContain('cannot be used');
    expect(parseTextQuery('/(a{50}){50}/')).toMatch(/steps|cannot be used/);
    expect(parseTextQuery('x'.repeat(LONGEST_QUERY + 1))).toContain('at most');
    expect(parseTextQuery('a b '.repeat(15))).toContain('words');
  });
});

it('all must hold, in upper or lower case', () => {
  expect(fits('POOL waits', 'the pool WAITS for one')).toBe(true);
  expect(fits('pool -waits', 'the pool WAITS for one')).toBe(false);
  expect(fits('"pool waits"', 'the pool that waits')).toBe(false);
});

it('a pattern that would take for ever elsewhere is done in a moment', () => {
  expect(fits('/^(a+)+b$/', `${'a'.repeat(50_000)}!`)).toBe(false);
});
