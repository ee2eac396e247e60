import { describe, expect, it } from 'vitest';
import { EMPTY_CASE } from '../../core/casebook/caseContent.ts';
import { figureNumbers } from './figureNumbers.ts';

const entry = (id: string, pins: string[]) => ({ id, at: 1, page: '', text: '', pins, by: '' });
const hypothesis = { id: 'h', order: 1, text: '', standing: 'open' as const, reason: '', for: ['b', 'd'], against: ['e'] };

describe('numbers of figures', () => {
  it('go by the log, then by hypotheses, each pin once; what is not there has none', () => {
    const content = { ...EMPTY_CASE, entries: [entry('1', ['b', 'gone']), entry('2', ['a', 'b'])], hypotheses: [hypothesis] };
    expect([...figureNumbers(content, new Set(['a', 'b', 'd', 'e', 'unused']))]).toEqual([
      ['b', 1],
      ['a', 2],
      ['d', 3],
      ['e', 4],
    ]);
  });
});
