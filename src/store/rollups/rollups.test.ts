import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { addValue, emptySketch, encodeSketch, type Sketch } from '../../core/measures/sketch.ts';
import { minuteOf, RollupBatch } from './rollups.ts';

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

describe('a book of rollups', () => {
  it('counts by day, minute, key and whether it is an entry', () => {
    const book = new RollupBatch();
    book.add(1, 10, 7, true, 5_000, false, false);
    book.add(1, 10, 7, true, 9_000, true, false);
    book.add(1, 10, 7, false, 1_000, false, false);
    book.add(1, 11, 7, true, 1_000, false, false);
    book.add(2, 10, 7, true, 1_000, false, false);
    book.add(1, 10, 8, true, 1_000, true, true);
    expect(rowsOf(book).map((row) => row.slice(0, -1).join(' '))).toEqual([
      '1 10 7 true 2 1 0 5000 9000',
      '1 10 7 false 1 0 0 1000 0',
      '1 11 7 true 1 0 0 1000 0',
      '2 10 7 true 1 0 0 1000 0',
      '1 10 8 true 1 1 1 0 1000',
    ]);
  });

  it('has a sketch of the durations of each rollup, in whatever order they come', () => {
    const call = fc.record({
      key: fc.integer({ min: 1, max: 4 }),
      durationNs: fc.oneof(fc.constant(0), fc.nat(), fc.maxSafeNat()),
    });
    fc.assert(
      fc.property(fc.array(call), (calls) => {
        const book = new RollupBatch();
        const sketches = new Map<number, Sketch>();
        for (const { key, durationNs } of calls) {
          book.add(1, 10, key, false, durationNs, false, false);
          const sketch = sketches.get(key) ?? emptySketch();
          sketches.set(key, sketch);
          addValue(sketch, durationNs);
        }
        expect(rowsOf(book).map((row) => row.at(-1))).toEqual(
          [...sketches.values()].map((sketch) => `\\\\x${Buffer.from(encodeSketch(sketch)).toString('hex')}`),
        );
      }),
    );
  });

  it('has no rows of nothing', () => expect(new RollupBatch().lines()).toBe(''));
});

function rowsOf(book: RollupBatch): string[][] {
  return book
    .lines()
    .split('\n')
    .filter(Boolean)
    .map((line) => line.split('\t'));
}
