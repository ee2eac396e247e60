import { describe, expect, it } from 'vitest';
import { emptySketch } from '../measures/sketch.ts';
import type { CallSeries } from './callSeries.ts';
import { firings, measureAt, RULE_MEASURES, type Rule } from './rules.ts';
import { RULE_UNITS, ruleWords } from './ruleWords.ts';
import { trafficMove, usualCalls } from './usualTraffic.ts';

const DAY = 1_440;
const NOW = 20 * DAY + 600;

/** Calls of each minute from a first to the last, both inclusive. */
function traffic(first: number, last: number, perMinute: (minute: number) => number): Map<number, number> {
  const calls = new Map<number, number>();
  for (let minute = first; minute <= last; minute++) if (perMinute(minute) > 0) calls.set(minute, perMinute(minute));
  return calls;
}

function seriesOf(calls: ReadonlyMap<number, number>, first: number, last: number): CallSeries {
  return {
    firstMinute: first,
    minutes: Array.from({ length: last - first + 1 }, (_, at) => {
      const count = calls.get(first + at);
      return count === undefined ? null : { calls: count, failures: 0, sketch: emptySketch() };
    }),
  };
}

describe('what usually comes at an hour', () => {
  it('is the median of the same time on the days before', () => {
    const ofDay = [40, 20, 22, 18, 300];
    const calls = traffic(NOW - 5 * DAY - 100, NOW - 1, (minute) => ofDay[Math.ceil((NOW + 50 - minute) / DAY) - 1] ?? 0);
    // The days before had 20, 22, 18 and 300 a minute; today is not among them.
    expect(usualCalls(calls, NOW, 10, NOW - 5 * DAY - 100)).toBeCloseTo(210, 5);
  });

  it('follows the time of the day, not the day as a whole', () => {
    const calls = traffic(NOW - 3 * DAY, NOW, (minute) => (minute % DAY < 360 ? 2 : 30));
    expect(usualCalls(calls, NOW, 10, NOW - 3 * DAY)).toBeCloseTo(300, 5);
    expect(usualCalls(calls, 20 * DAY + 120, 10, NOW - 3 * DAY)).toBeCloseTo(20, 5);
  });

  it('leaves out days on which nothing came, and is not known without a day, or of a trickle', () => {
    const gap = traffic(NOW - 3 * DAY, NOW, (minute) => (minute < NOW - DAY - 200 && minute > NOW - 2 * DAY - 300 ? 0 : 20));
    expect(usualCalls(gap, NOW, 10, NOW - 3 * DAY)).toBeCloseTo(200, 5);
    expect(usualCalls(gap, NOW, 10, NOW - DAY + 5)).toBeNull();
    expect(
      usualCalls(
        traffic(NOW - 3 * DAY, NOW, () => 0.5),
        NOW,
        10,
        NOW - 3 * DAY,
      ),
    ).toBeNull();
  });

  it('is left by no more than chance in nearly all minutes of even traffic', () => {
    expect(trafficMove('drop', 81, 100)).toBe(0);
    expect(trafficMove('rise', 119, 100)).toBe(0);
    expect(trafficMove('drop', 40, 100)).toBeCloseTo(0.6, 10);
    expect(trafficMove('rise', 40, 100)).toBe(0);
    expect(trafficMove('rise', 350, 100)).toBeCloseTo(2.5, 10);
    expect(trafficMove('drop', 0, null)).toBeNull();
  });
});

describe('rules of traffic', () => {
  const rule: Rule = { id: 'r', name: 'r', journey: 'j', measure: 'drop', bound: 0.5, minutes: 10, on: true, takes: 'nothing' };
  const calls = traffic(NOW - 2 * DAY - 200, NOW, (minute) => {
    if (minute > NOW - 30 && minute <= NOW - 15) return 0;
    return minute > NOW - 60 && minute <= NOW - 45 ? 80 : 20;
  });
  const usual = (minute: number, minutes: number) => usualCalls(calls, minute, minutes, NOW - 2 * DAY - 200);
  const series = seriesOf(calls, NOW - 120, NOW);

  it('fire when it falls, also to nothing, and when it rises', () => {
    const [fell, ...none] = firings(series, rule, { usualCalls: usual });
    expect(none).toEqual([]);
    // Half of ten minutes have to be missing, and the last of the gap is found until half of them are back.
    expect(fell.firstMinute).toBe(NOW - 24);
    expect(fell.lastMinute).toBe(NOW - 11);
    const [rose] = firings(series, { ...rule, measure: 'rise', bound: 1 }, { usualCalls: usual });
    expect(rose.firstMinute).toBeGreaterThan(NOW - 60);
    expect(rose.lastMinute).toBeLessThan(NOW - 35);
  });

  it('do not fire where what is usual is not known', () => {
    expect(firings(series, rule)).toEqual([]);
    expect(measureAt(series, 100, rule)).toBeNull();
  });

  it('are told in words, each measure in its unit', () => {
    expect(ruleWords(rule)).toBe('j: 50 % fewer requests than usual at this hour, or fewer still, over 10 min');
    expect(ruleWords({ ...rule, measure: 'p95', bound: 300 })).toBe('j: 300 ms at p95, or more, over 10 min');
    expect(Object.keys(RULE_UNITS).sort()).toEqual([...RULE_MEASURES].sort());
  });
});
