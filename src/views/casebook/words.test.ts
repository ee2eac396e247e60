import { describe, expect, it } from 'vitest';
import { casesSentence, sharedWords, spanOfCase } from './words.ts';

describe('how cases stand', () => {
  const of = (...states: ('open' | 'handed over' | 'closed')[]) => casesSentence(states.map((state) => ({ state })));

  it.each([
    [of(), 'No case yet'],
    [of('closed'), 'No case is open'],
    [of('open'), '1 case is open'],
    [of('open', 'open', 'handed over'), '2 cases are open, 1 is handed over'],
    [of('handed over', 'handed over'), '2 are handed over'],
  ])('%s', (said, expected) => expect(said).toBe(expected));
});

describe('the time of a case', () => {
  const at = Date.parse('2026-05-02T10:21:00Z');

  it('is not told while it is not known, and is open while it goes on', () => {
    expect(spanOfCase(null, null, 'UTC', at)).toBe('');
    expect(spanOfCase(at, null, 'UTC', at)).toBe('since 10:21');
    expect(spanOfCase(at, at + 29 * 60_000, 'UTC', at)).toBe('10:21–10:50');
  });
});

describe('what two cases share', () => {
  it('is read as what it is of, words in quotes', () => {
    expect(sharedWords(['blocker:season-rollover', 'lock', 'operation:PUT /bookings/{ref}'])).toBe(
      'blocker season-rollover, "lock", operation PUT /bookings/{ref}',
    );
  });
});
