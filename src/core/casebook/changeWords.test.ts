import { describe, expect, it } from 'vitest';
import { EMPTY_CASE } from './caseContent.ts';
import { changeWords } from './changeWords.ts';

const entry = (id: string, text: string) => ({ id, at: 1, page: '', text, pins: [], by: '' });

describe('what was changed', () => {
  it('is nothing when nothing was', () => {
    expect(changeWords(EMPTY_CASE, { ...EMPTY_CASE })).toBe('');
  });

  it('names fields, the state, and how many members came, went and were edited', () => {
    const before = { ...EMPTY_CASE, entries: [entry('a', 'one'), entry('b', 'two')] };
    const after = {
      ...EMPTY_CASE,
      title: 'Now with a title',
      state: 'closed' as const,
      impact: { people: 4 },
      entries: [entry('a', 'one, more'), entry('c', 'three'), entry('d', 'four')],
    };
    expect(changeWords(before, after)).toBe(
      'now closed; impact set; the title changed; 2 entries added; 1 entry removed; 1 entry edited',
    );
  });
});
