import { describe, expect, it } from 'vitest';
import { addValue, emptySketch } from '../measures/sketch.ts';
import type { LedgerLine } from '../trace/time/ledger.ts';
import { type Calls, harmOf } from './harm.ts';
import { harmOverTime } from './harmOverTime.ts';
import { burnRate, journeysOf, objectiveState } from './journey.ts';
import { sumLedgers, timeShift } from './timeShift.ts';

/** Calls of so many milliseconds each, some of which failed. */
function calls(durations: readonly number[], failures = 0): Calls {
  const sketch = emptySketch();
  for (const ms of durations) addValue(sketch, ms * 1e6);
  const ok = durations.slice(failures).reduce((sum, ms) => sum + ms * 1e6, 0);
  return { calls: durations.length, failures, okNs: ok, sketch };
}
const times = (count: number, ms: number) => new Array<number>(count).fill(ms);

describe('harm', () => {
  it('is the waiting beyond the mean before, and failures beyond the share before', () => {
    const harm = harmOf(calls(times(100, 300), 10), calls(times(200, 100), 10));
    // 90 that went well waited 200 ms more each; of 100, 5 were to be expected to fail.
    expect(harm.extraWaitingNs).toBeCloseTo(90 * 200e6);
    expect(harm.extraFailures).toBeCloseTo(5);
    expect(harm.totalNs).toBeCloseTo(18e9 + 150e9);
  });

  it('is none when it got better, and counts failures alone when nothing is known of before', () => {
    expect(harmOf(calls(times(50, 80)), calls(times(50, 100), 2)).totalNs).toBe(0);
    expect(harmOf(calls(times(50, 80), 2), calls([])).extraFailures).toBe(2);
    expect(harmOf(calls([]), calls(times(9, 5))).totalNs).toBe(0);
  });

  it('over time is what lies beyond the medians of all stretches', () => {
    const usual = [1, 2, 3, 4].map((at) => ({ at, entryId: 1, calls: 10, failures: 0, okNs: 10e9 }));
    const bad = { at: 5, entryId: 1, calls: 10, failures: 2, okNs: 16e9 };
    const harm = harmOverTime([...usual, bad]);
    expect(harm.get(1)).toBe(0);
    expect(harm.get(5)).toBeCloseTo(8e9 + 60e9);
  });
});

describe('journeys', () => {
  it('are those that were named, and each other entry by itself', () => {
    const named = [{ name: 'Place a hold', entries: ['POST /holds', 'PUT /holds'] }];
    expect(journeysOf(named, ['GET /a', 'POST /holds']).map((it) => it.name)).toEqual(['Place a hold', 'GET /a']);
  });

  it('have an allowance that is spent by bad requests', () => {
    expect(objectiveState(995, 1000, 0.99)).toMatchObject({ good: 995, all: 1000, share: 0.995 });
    expect(objectiveState(980, 1000, 0.99).left).toBeCloseTo(-1);
    expect(objectiveState(0, 0, 0.99)).toEqual({ good: 0, all: 0, share: null, left: null });
    expect(burnRate(90, 100, 0.99)).toBeCloseTo(10);
    expect(burnRate(0, 0, 0.99)).toBeNull();
  });
});

describe('where the time moved', () => {
  it('sums to the difference of the means', () => {
    const line = (party: string, kind: LedgerLine['kind'], durationNs: number) => ({
      party,
      kind,
      durationNs,
    });
    const lit = [
      [line('berths', 'own', 900), line('gangway', 'own', 100)],
      [line('berths', 'own', 300), line('sailing-db', 'db', 50)],
    ];
    const before = [[line('berths', 'own', 100), line('gangway', 'own', 60)]];
    const moved = timeShift(sumLedgers(lit), sumLedgers(before));
    expect(moved[0]).toEqual({ party: 'berths', kind: 'own', litNs: 600, beforeNs: 100 });
    const difference = moved.reduce((sum, it) => sum + it.litNs - it.beforeNs, 0);
    expect(difference).toBeCloseTo((1000 + 350) / 2 - 160);
  });
});
