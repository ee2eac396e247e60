import { expect, it } from 'vitest';
import { shownName } from './shownName.ts';

it('draws a name as it is, a stand-in for none, and a part of an endless one', () => {
  expect(shownName('POST /holds')).toBe('POST /holds');
  expect([shownName(''), shownName('  ')]).toEqual(['unnamed', 'unnamed']);
  expect(shownName('x'.repeat(2 ** 20))).toBe(`${'x'.repeat(160)}…`);
});
