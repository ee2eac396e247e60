import { describe, expect, it } from 'vitest';
import { noteAsTyped } from './noteAsTyped.ts';

const at = (text: string) => Date.parse(`${text}:00Z`);
const NOW = at('2026-12-01T05:00');
const LIT = at('2026-12-01T02:00');

describe('a note as it was typed', () => {
  it.each([
    ['pool set back to 10', LIT, 'pool set back to 10'],
    ['04:40 pool set back', at('2026-12-01T04:40'), 'pool set back'],
    // The latest such time that has been.
    ['13:40 pool set back', at('2026-11-30T13:40'), 'pool set back'],
    ['yesterday 13:40  pool   set back', at('2026-11-30T13:40'), 'pool set back'],
    ['27 nov 13:40 pool set back', at('2026-11-27T13:40'), 'pool set back'],
    // Times within a note are a part of it.
    ['set back at about five, 04:40 or so', LIT, 'set back at about five, 04:40 or so'],
    ['since 04:40 slow', LIT, 'since 04:40 slow'],
    ['04:40', LIT, '04:40'],
    ['27:40 no time', LIT, '27:40 no time'],
  ])('%s', (typed, when, text) => expect(noteAsTyped(typed, LIT, 'UTC', NOW)).toEqual({ at: when, text }));

  it('is of the clock that is shown', () => {
    expect(noteAsTyped('04:40 back', LIT, 'Europe/Oslo', NOW).at).toBe(at('2026-12-01T03:40'));
  });
});
