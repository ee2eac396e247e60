import { expect, it } from 'vitest';
import { brokenTextIn } from './brokenText.ts';

it.each([
  ['nothing asked', {}, undefined],
  [
    'texts as they should be',
    { name: 'Berths “Ärger” 🚢', list: ['a', { b: '\n\t' }], none: undefined, nil: null, count: 0 },
    undefined,
  ],
  ['a zero', { a: 'x', subject: 'a\0b' }, 'subject'],
  ['a zero deep inside', { a: 1, rules: [{ name: 'x', value: ['ok', '\0'] }] }, 'rules'],
  ['a zero in a name', { rules: { 'a\0': 1 } }, 'rules'],
  ['half of a pair', { text: 'a\ud800' }, 'text'],
  ['nothing before it that is left out', { a: undefined, b: [undefined, null, '\0'] }, 'b'],
])('finds %s', (_, asked, name) => expect(brokenTextIn(asked)).toBe(name));

it('goes as deep as a body can be', () => {
  let deep: unknown = '\0';
  for (let level = 0; level < 100_000; level++) deep = [deep];
  expect(brokenTextIn({ deep })).toBe('deep');
});
