import { expect, it } from 'vitest';
import { isQuestion, namesIn } from './question.ts';

it.each([
  ['why is place a hold slow', true],
  ['Is holds slow?', true],
  ['place a hold slow since noon?', true],
  ['where do failures start', true],
  ['could not serialize access due to concurrent update', false],
  ['holds', false],
  ['is open', false],
  ['entry is "POST /holds"', false],
  ['TRN-48122', false],
])('"%s" is a question: %s', (text, is) => {
  expect(isQuestion(text)).toBe(is);
});

it('names stand in a question as whole words', () => {
  const names = ['Place a hold', 'hold', 'holds', 'Sign in', ''];
  expect(namesIn('why is place a hold slow?', names)).toEqual(['Place a hold', 'hold']);
  expect(namesIn('why do holds fail?', names)).toEqual(['holds']);
});
