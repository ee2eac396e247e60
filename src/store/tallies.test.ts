import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { countOf } from '../core/measures/sketch.ts';
import { minuteOf, TallyBook } from './tallies.ts';

describe('the minute of a time', () => {
  it('is that of exact division, at the edges too', () => {
    const MINUTE = 60_000_000_000n;
    const edge = fc.bigInt({ min: 0n, max: 9_000_000_000_000_000_000n / MINUTE });
    fc.assert(
      fc.property(edge, fc.bigInt({ min: -2n, max: 2n }), (minute, beside) => {
        const ns = minute * MINUTE + beside < 0n ? 0n : minute * MINUTE + beside;
        expect(minuteOf(ns)).toBe(Number(ns / MINUTE));
      }),
      { numRuns: 2000 },
    );
  });
});

describe('a book of tallies', () => {
  it('counts by day, minute, key and whether it is an entry', () => {
    const book = new TallyBook();
    book.add(1, 10, 7, true, { durationNs: 5_000, failed: false, mistake: false });
    book.add(1, 10, 7, true, { durationNs: 9_000, failed: true, mistake: false });
    book.add(1, 10, 7, false, { durationNs: 1_000, failed: false, mistake: false });
    book.add(1, 11, 7, true, { durationNs: 1_000, failed: false, mistake: false });
    book.add(2, 10, 7, true, { durationNs: 1_000, failed: false, mistake: false });
    book.add(1, 10, 8, true, { durationNs: 1_000, failed: false, mistake: false });
    expect(
      book.tallies.map(({ day, minute, keyId, entry, calls, failures, okNs, failedNs }) => [
        day,
        minute,
        keyId,
        entry,
        calls,
        failures,
        okNs,
        failedNs,
      ]),
    ).toEqual([
      [1, 10, 7, true, 2, 1, 5_000, 9_000],
      [1, 10, 7, false, 1, 0, 1_000, 0],
      [1, 11, 7, true, 1, 0, 1_000, 0],
      [2, 10, 7, true, 1, 0, 1_000, 0],
      [1, 10, 8, true, 1, 0, 1_000, 0],
    ]);
    expect(book.tallies.map(({ sketch }) => countOf(sketch))).toEqual([2, 1, 1, 1, 1]);
  });
});
