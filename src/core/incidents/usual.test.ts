import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { addValue, emptySketch } from '../measures/sketch.ts';
import type { MinuteOfCalls } from './callSeries.ts';
import { Usual } from './usual.ts';

const MS = 1e6;

function minuteOf(durationsMs: readonly number[], failures: number): MinuteOfCalls | null {
  if (durationsMs.length === 0) return null;
  const sketch = emptySketch();
  for (const it of durationsMs) addValue(sketch, it * MS);
  return { calls: durationsMs.length, failures: Math.min(failures, durationsMs.length), sketch };
}

const minutes = fc.array(
  fc
    .tuple(fc.array(fc.integer({ min: 1, max: 5000 }), { maxLength: 4 }), fc.nat({ max: 2 }))
    .map(([of, failures]) => minuteOf(of, failures)),
  { minLength: 120, maxLength: 200 },
);

describe('what is usual', () => {
  it('is the same whether it was kept up as time went on or worked out at once', () => {
    fc.assert(
      fc.property(minutes, fc.array(fc.nat({ max: 199 }), { maxLength: 30 }), (series, ill) => {
        const flagged = new Uint8Array(series.length);
        for (const at of ill) if (at < series.length) flagged[at] = 1;
        const kept = new Usual(series);
        for (let at = 0; at < series.length; at += 7) kept.advance(at, flagged);
        const last = series.length;
        kept.advance(last, flagged);
        const fresh = new Usual(series);
        fresh.advance(last, flagged);
        expect(kept.marks(last)).toEqual(fresh.marks(last));
      }),
      { numRuns: 30 },
    );
  });

  it('leaves out what was flagged, and counts by a bound above the usual', () => {
    const series = Array.from({ length: 200 }, (_, at) => minuteOf(at >= 100 && at < 150 ? [900, 900] : [100, 100], 0));
    const flagged = new Uint8Array(200).fill(1, 100, 150);
    const usual = new Usual(series);
    usual.advance(200, flagged);
    const marks = usual.marks(200)!;
    expect(marks.p95.usual / (100 * MS)).toBeGreaterThan(0.95);
    expect(marks.p95.usual / (100 * MS)).toBeLessThan(1.05);
    // Nothing usual lies over the bound: the share is that of half a call more than were seen.
    expect(marks.p95.share).toBeCloseTo(0.5 / (2 * (200 - 4 - 50) + 1), 9);
    usual.anew();
    usual.advance(200, new Uint8Array(200));
    expect(usual.marks(200)!.p95.usual / MS).toBeGreaterThan(800);
  });

  it('is not known from little', () => {
    const series = Array.from({ length: 200 }, () => minuteOf([100], 0));
    const usual = new Usual(series);
    usual.advance(30, new Uint8Array(200));
    expect(usual.marks(30)).toBeUndefined();
    usual.advance(44, new Uint8Array(200));
    expect(usual.marks(44)).toBeUndefined();
    usual.advance(60, new Uint8Array(200));
    expect(usual.marks(60)).toBeDefined();
  });

  it('forgets what lies more than a day back', () => {
    const series = Array.from({ length: 3000 }, (_, at) => minuteOf(at < 1000 ? [1000] : [10], 0));
    const usual = new Usual(series);
    for (let at = 0; at <= 2600; at += 10) usual.advance(at, new Uint8Array(3000));
    expect(usual.marks(2600)!.p50.usual / MS).toBeLessThan(12);
  });
});
