import { describe, expect, it } from 'vitest';
import { shareRange } from './shareRange.ts';

/** Numbers between 0 and 1, the same each time. */
function* numbers(seed: number): Generator<number> {
  for (let state = seed; ; ) {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    yield state / 2 ** 32;
  }
}

describe('the range of a quantile', () => {
  it('holds the true one in about 95 of 100 samples', () => {
    const from = numbers(7);
    for (const share of [0.5, 0.95]) {
      let held = 0;
      for (let sample = 0; sample < 1_000; sample++) {
        const sorted = Float64Array.from({ length: 150 }, () => from.next().value as number).sort();
        const range = shareRange(sorted, share)!;
        expect(range.low).toBeLessThanOrEqual(range.value);
        expect(range.high).toBeGreaterThanOrEqual(range.value);
        if (range.low <= share && share <= range.high) held++;
      }
      expect(held).toBeGreaterThanOrEqual(930);
      // One that is always right says nothing.
      expect(held).toBeLessThan(995);
    }
  });

  it('is wider when several are of one request, and unknown for too few', () => {
    const sorted = Array.from({ length: 400 }, (_, at) => at);
    const [alone, alike] = [shareRange(sorted, 0.9)!, shareRange(sorted, 0.9, 100)!];
    expect(alone.value).toBe(359);
    expect(alike.value).toBe(359);
    expect(alike.high - alike.low).toBeGreaterThan(1.8 * (alone.high - alone.low));
    expect(shareRange(sorted.slice(0, 60), 0.95)).toBeUndefined();
    expect(shareRange([], 0.5)).toBeUndefined();
    expect(shareRange([1, 2], 0.5)).toBeUndefined();
  });
});
