import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { addValue, emptySketch } from '../measures/sketch.ts';
import type { CallSeries, MinuteOfCalls } from './callSeries.ts';
import { beginOfChange, endOfChange } from './changePoint.ts';
import { joinShifts, type SeriesShift } from './joinShifts.ts';
import { firings, measureAt, type Rule } from './rules.ts';
import { findShifts } from './shifts.ts';
import { seriesId, seriesKeyOf } from './watchedSeries.ts';
import { formatShare, shiftWords } from './words.ts';

const MS = 1e6;

/** A repeatable stream of numbers from 0 to 1 (Lehmer's generator). */
function luck(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state * 48271) % 2147483647;
    return state / 2147483647;
  };
}

/** A day of calls: so many a minute, their median in milliseconds and their share of failures by the minute. */
function dayOf(
  minutes: number,
  of: (minute: number) => { calls: number; medianMs?: number; failing?: number },
  seed = 7,
): CallSeries {
  const next = luck(seed);
  return {
    firstMinute: 1000,
    minutes: Array.from({ length: minutes }, (_, minute): MinuteOfCalls | null => {
      const { calls, medianMs = 50, failing = 0 } = of(minute);
      if (calls === 0) return null;
      const sketch = emptySketch();
      let failures = 0;
      for (let call = 0; call < calls; call++) {
        // Log-normal, about: half of all between 0.7 and 1.4 times the median.
        const spread = next() + next() + next() + next() - 2;
        addValue(sketch, medianMs * MS * Math.exp(0.9 * spread));
        if (next() < failing) failures++;
      }
      return { calls, failures, sketch };
    }),
  };
}

describe('shifts', () => {
  it('finds when calls became slower, and when it was over', () => {
    const shifts = findShifts(dayOf(600, (minute) => ({ calls: 20, medianMs: minute >= 300 && minute < 360 ? 150 : 50 })));
    const p50 = shifts.find((it) => it.measure === 'p50')!;
    expect(Math.abs(p50.firstMinute - 1300)).toBeLessThanOrEqual(1);
    expect(p50.foundMinute - 1300).toBeLessThanOrEqual(5);
    expect(Math.abs(p50.lastMinute - 1359)).toBeLessThanOrEqual(1);
    expect(p50.usual / MS).toBeGreaterThan(40);
    expect(p50.usual / MS).toBeLessThan(60);
    expect(p50.shifted / MS).toBeGreaterThan(100);
    expect(shifts.every((it) => it.firstMinute >= 1298)).toBe(true);
  });

  it('knows of operations that are called seldom when it was over, though it was seen over a long stretch', () => {
    for (const seed of [1, 2, 3, 4, 5]) {
      const isIll = (minute: number) => minute >= 500 && minute < 560;
      const shifts = findShifts(dayOf(800, (minute) => ({ calls: 1, medianMs: isIll(minute) ? 300 : 50 }), seed));
      const p95 = shifts.find(({ measure }) => measure === 'p95')!;
      expect(Math.abs(p95.firstMinute - 1500)).toBeLessThanOrEqual(3);
      expect(Math.abs(p95.lastMinute - 1559)).toBeLessThanOrEqual(3);
    }
  });

  it('does not begin in the one before', () => {
    const isIll = (minute: number) => (minute >= 500 && minute < 550) || (minute >= 600 && minute < 640);
    const shifts = findShifts(dayOf(800, (minute) => ({ calls: 3, medianMs: isIll(minute) ? 300 : 50 })));
    const begun = shifts.filter(({ measure }) => measure === 'p50').map((it) => it.firstMinute);
    expect(begun).toHaveLength(2);
    expect(Math.abs(begun[0] - 1500)).toBeLessThanOrEqual(2);
    expect(Math.abs(begun[1] - 1600)).toBeLessThanOrEqual(2);
  });

  it('finds failures that began, and that some calls alone became very slow', () => {
    const failing = findShifts(dayOf(400, (minute) => ({ calls: 15, failing: minute >= 300 ? 0.2 : 0.005 })));
    expect(failing.map((it) => it.measure)).toContain('failures');
    expect(Math.abs(failing.find((it) => it.measure === 'failures')!.firstMinute - 1300)).toBeLessThanOrEqual(5);
    const next = luck(3);
    const tail = dayOf(400, () => ({ calls: 15 }));
    for (const [at, minute] of tail.minutes.entries())
      for (let call = 0; at >= 300 && call < 15; call++) if (next() < 0.15) addValue(minute!.sketch, 4e9);
    expect(Math.abs(findShifts(tail).find((it) => it.measure === 'p95')!.firstMinute - 1300)).toBeLessThanOrEqual(4);
  });

  it('finds when failures began that came gradually, though the first of them were too few to be seen', () => {
    const begins = [1, 2, 3, 4, 5, 6, 7, 8].map((seed) => {
      // Two views a minute, of which from minute 900 on ever more crash: half a point more every ten minutes.
      const failing = (minute: number) => (minute < 900 ? 0 : Math.min(0.12, 0.005 * (1 + (minute - 900) / 10)));
      const shifts = findShifts(dayOf(1_440, (minute) => ({ calls: 2, failing: failing(minute) }), 977 * seed));
      const { firstMinute, foundMinute } = shifts.find(({ measure }) => measure === 'failures')!;
      expect(foundMinute).toBeGreaterThan(firstMinute);
      return firstMinute;
    });
    expect(Math.min(...begins)).toBeGreaterThanOrEqual(1_895);
    expect(Math.max(...begins)).toBeLessThanOrEqual(2_010);
    expect(begins.filter((it) => it <= 1_945).length).toBeGreaterThanOrEqual(5);
  });

  it('finds nothing in quiet days, however few or many calls, nor where little is known', () => {
    for (const [seed, calls] of [
      [1, 1],
      [2, 3],
      [3, 12],
      [4, 60],
    ]) {
      expect(findShifts(dayOf(1440, () => ({ calls, failing: 0.01 }), seed))).toEqual([]);
      // Traffic that comes and goes is no trouble.
      expect(findShifts(dayOf(1440, (minute) => ({ calls: Math.round(calls * (1 + Math.sin(minute / 90))) }), seed))).toEqual([]);
    }
    expect(findShifts(dayOf(30, (minute) => ({ calls: 20, medianMs: minute > 15 ? 500 : 50 })))).toEqual([]);
    expect(findShifts({ firstMinute: 0, minutes: [] })).toEqual([]);
  });

  it('takes what is common unrest of a service for usual', () => {
    // Slower and faster within the hour, again and again.
    const restless = dayOf(1440, (minute) => ({ calls: 20, medianMs: 50 + 14 * Math.sin(minute / 12) }));
    expect(findShifts(restless).filter((it) => it.firstMinute > 1300)).toEqual([]);
  });
});

describe('a change point', () => {
  it('is where the marks began', () => {
    const latestFirst = [...Array(6).fill({ calls: 10, marked: 5 }), ...Array(30).fill({ calls: 10, marked: 0 })];
    expect(beginOfChange(latestFirst, 0.01).back).toBe(5);
    expect(beginOfChange([{ calls: 0, marked: 0 }], 0.01)).toEqual({ back: 0, least: 0, most: 0, evidence: 0 });
  });

  it('may lie in minutes without calls before the first mark', () => {
    const calls = (count: number, marked: number) => ({ calls: count, marked });
    const none = calls(0, 0);
    // The latest first: three marked calls, each after two empty minutes; before that two good ones.
    const latestFirst = [
      calls(1, 1),
      none,
      none,
      calls(1, 1),
      none,
      none,
      calls(1, 1),
      none,
      none,
      calls(1, 0),
      none,
      calls(1, 0),
    ];
    const { back, most } = beginOfChange(latestFirst, 0.01);
    expect(back).toBe(6);
    expect(most).toBe(8);
  });

  it('is where they ended, or nowhere while they go on', () => {
    const ill = Array(6).fill({ calls: 10, marked: 5 });
    expect(endOfChange([...Array(8).fill({ calls: 10, marked: 0 }), ...ill], 0.01).back).toBe(8);
    // Minutes without a call say nothing.
    expect(endOfChange([...Array(8).fill({ calls: 0, marked: 0 }), ...ill], 0.01).back).toBe(0);
    expect(endOfChange(ill, 0.01).back).toBe(0);
    // One usual minute among many is chance, where every other minute has no mark.
    expect(
      endOfChange(
        [
          { calls: 1, marked: 0 },
          ...Array(20)
            .fill([
              { calls: 1, marked: 1 },
              { calls: 1, marked: 0 },
            ])
            .flat(),
        ],
        0.05,
      ).back,
    ).toBeLessThan(2);
    expect(endOfChange([], 0.01).back).toBe(0);
  });

  it('is the likeliest of all, by likelihoods worked out one call at a time', () => {
    const minutes = fc.array(
      fc.nat({ max: 4 }).chain((calls) => fc.record({ calls: fc.constant(calls), marked: fc.nat({ max: calls }) })),
      {
        maxLength: 20,
      },
    );
    const usual = 0.1;
    const byCall = (list: readonly { calls: number; marked: number }[], share: number) =>
      list
        .flatMap((it) => Array.from({ length: it.calls }, (_, at) => (at < it.marked ? share : 1 - share)))
        .reduce((sum, chance) => sum + Math.log(chance), 0);
    const own = (list: readonly { calls: number; marked: number }[]) => {
      const calls = list.reduce((sum, it) => sum + it.calls, 0);
      return calls === 0 ? 0 : list.reduce((sum, it) => sum + it.marked, 0) / calls;
    };
    fc.assert(
      fc.property(minutes, (latestFirst) => {
        const likelihood = (back: number) => {
          const ill = latestFirst.slice(back);
          const share = own(ill);
          return byCall(ill, share) + byCall(latestFirst.slice(0, back), usual);
        };
        const { back } = endOfChange(latestFirst, usual);
        const allowed = [0];
        for (let at = 1; at < latestFirst.length && own(latestFirst.slice(at)) > usual; at++) allowed.push(at);
        const best = Math.max(...allowed.map(likelihood));
        expect(likelihood(back)).toBeCloseTo(best, 9);
      }),
    );
  });
});

it('the range of a beginning holds the true one about 95 times of 100', () => {
  let state = 11;
  const random = () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 4294967296;
  };
  let held = 0;
  let width = 0;
  const trials = 400;
  for (let trial = 0; trial < trials; trial++) {
    const begun = 5 + Math.floor(random() * 15);
    const latestFirst = Array.from({ length: 60 }, (_, at) => {
      let marked = 0;
      for (let call = 0; call < 10; call++) if (random() < (at <= begun ? 0.25 : 0.03)) marked++;
      return { calls: 10, marked };
    });
    const { back, least, most } = beginOfChange(latestFirst, 0.03);
    expect(back).toBeGreaterThanOrEqual(least);
    expect(back).toBeLessThanOrEqual(most);
    if (least <= begun && begun <= most) held++;
    width += most - least;
  }
  expect(held / trials).toBeGreaterThan(0.88);
  expect(width / trials).toBeLessThan(6);
});

const shift = (id: number, firstMinute: number, lastMinute: number): SeriesShift => ({
  series: seriesKeyOf('operation', id),
  measure: 'p95',
  firstMinute,
  beginsFrom: firstMinute,
  beginsTo: firstMinute,
  evidence: 10,
  foundMinute: firstMinute + 3,
  lastMinute,
  usual: 1e8,
  shifted: 4e8,
});

describe('incidents', () => {
  const apart = () => ({ ofRarer: 0, ofEither: 0 });
  const close = () => ({ ofRarer: 0.9, ofEither: 0.8 });
  const ids = (groups: ReturnType<typeof joinShifts>) => groups.map((it) => it.shifts.map((one) => seriesId(one.series)));

  it('are shifts that begin at once, or of operations that go together', () => {
    expect(ids(joinShifts([shift(1, 100, 150), shift(2, 103, 150)], apart))).toEqual([[1, 2]]);
    expect(ids(joinShifts([shift(1, 100, 150), shift(2, 120, 150)], apart))).toEqual([[1], [2]]);
    expect(ids(joinShifts([shift(1, 100, 150), shift(2, 120, 150)], close))).toEqual([[1, 2]]);
    expect(ids(joinShifts([shift(1, 100, 150), shift(2, 200, 250)], close))).toEqual([[1], [2]]);
    expect(ids(joinShifts([shift(1, 100, 150), shift(1, 160, 200)], apart))).toEqual([[1, 1]]);
  });

  it('are one where one of them may have begun with the others, and begin when that is seen best', () => {
    // Called seldom: it began somewhere in half an hour.
    const vague = { ...shift(1, 84, 150), beginsFrom: 80, beginsTo: 102, evidence: 7 };
    const clear = { ...shift(2, 100, 150), beginsFrom: 99, beginsTo: 101, evidence: 300 };
    const [group, ...others] = joinShifts([vague, clear, shift(3, 102, 150)], apart);
    expect(others).toEqual([]);
    expect(group.firstMinute).toBe(100);
    expect(ids(joinShifts([{ ...vague, beginsTo: 90 }, clear], apart))).toEqual([[1], [2]]);
  });

  it('are two where only one that is known vaguely could join them: it goes with whom it shares requests', () => {
    const crew = { ...shift(1, 100, 300), beginsFrom: 99, beginsTo: 101 };
    const berths = { ...shift(2, 120, 300), beginsFrom: 119, beginsTo: 121 };
    const kiosk = { ...shift(3, 105, 300), beginsFrom: 95, beginsTo: 123, evidence: 4 };
    const ofHolds = (a: string, b: string) => ({
      ofRarer: Number([a, b].sort().join() === 'operation:2,operation:3'),
      ofEither: 0.1,
    });
    expect(ids(joinShifts([crew, kiosk, berths], ofHolds))).toEqual([[1], [2, 3]]);
  });

  it('are apart when they are hours apart, in whatever order they are looked at', () => {
    const early = { ...shift(1, 100, 140), beginsFrom: 85, beginsTo: 112 };
    const late = shift(1, 700, 800);
    const other = shift(2, 702, 800);
    const groups = joinShifts([early, late, other], () => ({ ofRarer: 1, ofEither: 1 }));
    expect(groups.map((it) => [it.firstMinute, it.lastMinute, it.shifts.length])).toEqual([
      [100, 140, 1],
      [700, 800, 2],
    ]);
  });

  it('are one where a caller got as much worse as whom it always calls, however late that is seen', () => {
    const always = () => ({ ofRarer: 1, ofEither: 0.1 });
    const more = (it: SeriesShift, extraNs: number) => ({ ...it, shifted: it.usual + extraNs });
    const callee = more(shift(1, 100, 300), 60e6);
    expect(ids(joinShifts([callee, more(shift(2, 190, 300), 70e6)], always))).toEqual([[1, 2]]);
    // Ten times as much has a cause of its own, and so has what it calls now and then only.
    expect(ids(joinShifts([callee, more(shift(2, 190, 300), 600e6)], always))).toEqual([[1], [2]]);
    expect(ids(joinShifts([callee, more(shift(2, 190, 300), 70e6)], () => ({ ofRarer: 0.5, ofEither: 0.1 })))).toEqual([
      [1],
      [2],
    ]);
  });

  it('are one where an operation shows more of its trouble, whatever else began then', () => {
    const groups = joinShifts([shift(1, 100, 300), shift(2, 200, 230), shift(1, 202, 280)], apart);
    expect(ids(groups)).toEqual([[1, 1], [2]]);
  });

  it('let go of what lasts long after the rest was over', () => {
    const six = [1, 2, 3, 4, 5, 6].map((id) => shift(id, 100, 150));
    const groups = joinShifts([...six, shift(7, 101, 400)], apart);
    expect(groups.map((it) => it.lastMinute)).toEqual([150, 400]);
    expect(ids(groups)[1]).toEqual([7]);
  });

  it('keep every shift, once', () => {
    const shifts = fc.array(
      fc.tuple(fc.integer({ min: 1, max: 9 }), fc.integer({ min: 0, max: 500 }), fc.integer({ min: 0, max: 200 })),
      { maxLength: 30 },
    );
    fc.assert(
      fc.property(shifts, fc.boolean(), (list, near) => {
        const all = list.map(([id, from, long]) => shift(id, from, from + long));
        const groups = joinShifts(all, near ? close : apart);
        expect(groups.flatMap((it) => it.shifts).length).toBe(all.length);
        expect(new Set(groups.flatMap((it) => it.shifts))).toEqual(new Set(all));
        for (const it of groups) {
          const begins = it.shifts.map((one) => one.firstMinute);
          expect(begins).toContain(it.firstMinute);
          expect(it.firstMinute - Math.min(...begins)).toBeLessThanOrEqual(12);
        }
      }),
    );
  });

  it('are told in words', () => {
    expect(shiftWords({ measure: 'p95', usual: 0.61e9, shifted: 7.4e9 })).toBe('p95 610 ms → 7.40 s');
    expect(shiftWords({ measure: 'failures', usual: 0.001, shifted: 0.042 })).toBe('failing 0.1 % → 4.2 %');
    expect([0, 0.5, 0.0999].map(formatShare)).toEqual(['0 %', '50 %', '10 %']);
    expect([0.0004, 0.0006, 0.00001].map(formatShare)).toEqual(['under 0.1 %', '0.1 %', 'under 0.1 %']);
  });
});

describe('rules', () => {
  const rule: Rule = { id: 'r', name: 'r', journey: 'j', measure: 'p95', bound: 350, minutes: 5, on: true, takes: 'nothing' };
  const series = dayOf(120, (minute) => ({
    calls: minute >= 60 ? 3 : 20,
    medianMs: minute >= 30 && minute < 40 ? 400 : 50,
    failing: minute >= 80 && minute < 90 ? 1 : 0,
  }));

  it('fire while their measure is beyond the bound', () => {
    const [first, ...more] = firings(series, rule);
    expect(more).toEqual([]);
    expect(first.firstMinute).toBe(1030);
    expect(first.lastMinute).toBeGreaterThanOrEqual(1040);
    expect(first.lastMinute).toBeLessThanOrEqual(1044);
    expect(firings(series, { ...rule, measure: 'failures', bound: 0.5 }).map((it) => it.firstMinute)).toEqual([1082]);
    expect(firings(series, { ...rule, measure: 'rate', bound: 10 }).map((it) => it.firstMinute)).toEqual([1062]);
  });

  it('measure what an objective allows', () => {
    const objective = { withinMs: 200, share: 0.9 };
    expect(measureAt(series, 20, { measure: 'burn', minutes: 5 }, { objective })).toBe(0);
    expect(measureAt(series, 38, { measure: 'burn', minutes: 5 }, { objective })).toBeGreaterThan(5);
    expect(measureAt(series, 38, { measure: 'burn', minutes: 5 })).toBeNull();
    expect(measureAt({ firstMinute: 0, minutes: [null] }, 0, { measure: 'p95', minutes: 5 })).toBeNull();
  });
});
