import { randomExponential, randomLogNormal } from 'd3-random';
import fc from 'fast-check';
import { uniformFloat64 } from 'pure-rand/distribution/uniformFloat64';
import { xoroshiro128plus } from 'pure-rand/generator/xoroshiro128plus';
import { describe, expect, it } from 'vitest';
import { type Distribution, meanOf, mergeDistributions, NO_VALUES, quantileOf, valuesLike } from './distribution.ts';
import { type PoolFigures, poolFigures, poolMinutes } from './poolFigures.ts';
import { replay } from './replay.ts';
import { measuredP95, type PoolMinute, sizing } from './sizing.ts';
import type { MeasuredMinute } from './storedPool.ts';
import { whatMoved } from './whatMoved.ts';
import { movesSentence, poolSentence } from './words.ts';
import { withinMinutes, worstPart } from './worstPart.ts';

const generator = (seed: number) => {
  // Seeds next to each other begin alike: they are spread.
  const of = xoroshiro128plus(Math.imul(seed, 0x9e3779b1) ^ 0x5bd1e995);
  return () => uniformFloat64(of);
};

const BOUNDS = Array.from({ length: 61 }, (_, at) => 0.001 * 1.2 ** at);

/** Values in the buckets that a sender would put them into. */
function distributionOf(values: readonly number[]): Distribution {
  const counts = new Array<number>(BOUNDS.length + 1).fill(0);
  for (const value of values) {
    const at = BOUNDS.findIndex((bound) => value <= bound);
    counts[at < 0 ? BOUNDS.length : at]++;
  }
  const buckets = counts.map((count, at) => ({
    low: at === 0 ? 0 : BOUNDS[at - 1],
    high: BOUNDS[at] ?? Number.POSITIVE_INFINITY,
    count,
  }));
  return {
    buckets: buckets.filter(({ count }) => count > 0),
    count: values.length,
    sum: values.reduce((sum, it) => sum + it, 0),
  };
}

describe('a distribution', () => {
  it('has quantiles right to the width of a bucket, and the mean of its sum', () => {
    const random = generator(3);
    const values = Array.from({ length: 5000 }, () => 0.002 * (random() * 400) ** 1.3 + 0.002).sort((a, b) => a - b);
    const of = distributionOf(values);
    for (const share of [0.1, 0.5, 0.95, 0.99]) {
      const exact = values[Math.floor(share * values.length)];
      expect(Math.abs(Math.log(quantileOf(of, share)! / exact))).toBeLessThan(Math.log(1.2));
    }
    expect(meanOf(of)).toBeCloseTo(values.reduce((sum, it) => sum + it, 0) / values.length, 9);
  });

  it('of two is that of all their values', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0.0005, max: 50, noNaN: true })),
        fc.array(fc.double({ min: 0.0005, max: 50, noNaN: true })),
        (a, b) => {
          const merged = mergeDistributions([distributionOf(a), distributionOf(b)]);
          const whole = distributionOf([...a, ...b]);
          expect(merged.buckets).toEqual(whole.buckets);
          expect([merged.count, merged.sum]).toEqual([whole.count, expect.closeTo(whole.sum!, 9)]);
        },
      ),
    );
  });

  it('gives values that are spread as it is, and have its mean', () => {
    const random = generator(5);
    const spread = randomLogNormal.source(random)(-1, 0.8);
    const of = distributionOf(Array.from({ length: 20_000 }, spread));
    const values = valuesLike(of, 3_000, random);
    expect(Math.abs(values.reduce((sum: number, it) => sum + it, 0) / 3_000 / meanOf(of)! - 1)).toBeLessThan(0.01);
    const sorted = values.slice().sort();
    expect(sorted).not.toEqual(values);
    for (const share of [0.1, 0.5, 0.95])
      expect(Math.abs(Math.log(sorted[3_000 * share] / quantileOf(of, share)!))).toBeLessThan(0.1);
  });

  it('without values says so', () => {
    expect([meanOf(NO_VALUES), quantileOf(NO_VALUES, 0.5), measuredP95([NO_VALUES])]).toEqual([null, null, null]);
    expect(measuredP95([{ buckets: [{ low: 0, high: 0.001, count: 90 }], count: 90, sum: 0 }])).toBe(0);
  });
});

/** Erlang's mean wait of requests that come at random and hold a connection for exponential times. */
function erlangWait(arrivals: number, hold: number, size: number): number {
  const load = arrivals * hold;
  let blocking = 1;
  for (let at = 1; at <= size; at++) blocking = (load * blocking) / (at + load * blocking);
  const waits = blocking / (1 - (load / size) * (1 - blocking));
  return (waits * hold) / (size - load);
}

describe('a replay', () => {
  it.each([
    [4, 3],
    [10, 8],
    [2, 0.6],
  ])('of %i connections at a load of %f waits as Erlang says, where his formula holds', (size, load) => {
    const ratios = [1, 2, 3, 4, 5, 6].map((seed) => {
      const random = generator(seed);
      const gap = randomExponential.source(random)(load);
      const hold = randomExponential.source(random)(1);
      const count = 150_000;
      const arrivals = new Float64Array(count);
      for (let at = 1; at < count; at++) arrivals[at] = arrivals[at - 1] + gap();
      const { waits, inUse } = replay(arrivals, Float64Array.from({ length: count }, hold), size, Number.POSITIVE_INFINITY);
      expect(Math.abs(inUse / load - 1)).toBeLessThan(0.02);
      return waits.reduce((sum: number, it) => sum + it, 0) / waits.length / erlangWait(load, 1, size);
    });
    expect(Math.abs(ratios.reduce((sum, it) => sum + it, 0) / ratios.length - 1)).toBeLessThan(0.06);
  });

  it('waits as long as a queue of names and a list of hands would', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.double({ min: 0, max: 20, noNaN: true }), fc.double({ min: 0, max: 5, noNaN: true })), {
          minLength: 1,
          maxLength: 40,
        }),
        fc.integer({ min: 1, max: 5 }),
        fc.constantFrom(2, 1e9),
        (requests, size, patience) => {
          const inOrder = [...requests].sort(([a], [b]) => a - b);
          const hands = new Array<number>(size).fill(0);
          const expected: number[] = [];
          for (const [came, hold] of inOrder) {
            const next = hands.indexOf(Math.min(...hands));
            const starts = Math.max(came, hands[next]);
            if (starts - came > patience) continue;
            expected.push(starts - came);
            hands[next] = starts + hold;
          }
          const found = replay(
            Float64Array.from(inOrder, ([came]) => came),
            Float64Array.from(inOrder, ([, hold]) => hold),
            size,
            patience,
          );
          expect([...found.waits]).toEqual(expected);
          expect(found.lost).toBe(inOrder.length - expected.length);
        },
      ),
    );
  });
});

/** Minutes as an instance would measure them while requests go through its pool; and how long they truly waited. */
function measured(seed: number, size: number, minutes: number, perSecond: number, hold: () => number) {
  const random = generator(seed);
  const gap = randomExponential.source(random)(perSecond);
  const requests: { came: number; hold: number }[] = [];
  for (let at = gap(); at < 60 * minutes; at += gap()) requests.push({ came: at, hold: hold() });
  const { waits } = replay(
    Float64Array.from(requests, ({ came }) => came),
    Float64Array.from(requests, ({ hold: held }) => held),
    size,
    Number.POSITIVE_INFINITY,
  );
  const all = Array.from({ length: minutes }, (_, minute): MeasuredMinute => {
    const [from, to] = [60 * minute, 60 * (minute + 1)];
    const started = requests.flatMap(({ came }, at) => (came + waits[at] >= from && came + waits[at] < to ? [waits[at]] : []));
    const ended = requests.flatMap(({ came, hold: held }, at) => {
      const end = came + waits[at] + held;
      return end >= from && end < to ? [held] : [];
    });
    const pending = requests.reduce(
      (sum, { came }, at) => sum + Math.max(0, Math.min(came + waits[at], to) - Math.max(came, from)) / 60,
      0,
    );
    return { minute, size, used: null, pending, waits: distributionOf(started), holds: distributionOf(ended), timeouts: 0 };
  });
  const sorted = [...waits].sort((a, b) => a - b);
  return {
    minutes: all,
    mean: sorted.reduce((sum, it) => sum + it, 0) / sorted.length,
    p95: sorted[Math.floor(0.95 * sorted.length)],
  };
}

const holdsOf = (seed: number, median: number, spread: number) =>
  randomLogNormal.source(generator(seed))(Math.log(median), spread);
const predict = (minutes: readonly MeasuredMinute[], sizes: readonly number[], target = 0.2) =>
  sizing([poolMinutes(minutes)], { sizes, target, patience: 1e9 });

describe('the size of a pool', () => {
  it.each([
    ['holds that hardly differ', 0.2, 0.1, 16],
    ['holds that are spread widely', 0.12, 1.2, 12],
  ])('is judged by waits that come within a tenth of those measured: %s', (_, median, spread, perSecond) => {
    const size = 4;
    // Of one run of an hour chance has its part in the waits: the mean of several is what is predicted.
    const runs = Array.from({ length: 10 }, (_, at) => at + 1).map((seed) =>
      measured(seed, size, 30, perSecond, holdsOf(100 + seed, median, spread)),
    );
    const mean = (value: (it: (typeof runs)[number]) => number) => runs.reduce((sum, it) => sum + value(it), 0) / runs.length;
    const predicted = runs.map(({ minutes }) => predict(minutes, [size]).points[0]);
    const meanPredicted = predicted.reduce((sum, it) => sum + it.mean, 0) / predicted.length;
    expect(Math.abs(meanPredicted / mean((it) => it.mean) - 1)).toBeLessThan(0.1);
    const p95Predicted = predicted.reduce((sum, it) => sum + it.p95, 0) / predicted.length;
    expect(Math.abs(p95Predicted / mean((it) => it.p95) - 1)).toBeLessThan(0.1);
  });

  it('is judged at full load too, where formulas have no answer', () => {
    // More comes for half an hour than four connections can serve, then less: the queue grows, and is worked off.
    const busy = measured(4, 4, 30, 21, holdsOf(7, 0.2, 0.3));
    const predicted = predict(busy.minutes, [4, 5, 6, 8]);
    expect(predicted.least).toBeGreaterThan(4);
    expect(predicted.points[3].p95).toBeLessThan(0.2);
    expect(predicted.enough).toBeGreaterThanOrEqual(6);
  });

  it('finds the smallest that meets a target, and from where on nothing is gained', () => {
    const { minutes } = measured(2, 10, 60, 12, holdsOf(3, 0.25, 0.4));
    const { points, enough, idle, least } = predict(
      minutes,
      Array.from({ length: 16 }, (_, at) => at + 1),
    );
    expect(least).toBe(4);
    expect(enough).not.toBeNull();
    expect(points.find(({ size }) => size === enough)!.p95).toBeLessThanOrEqual(0.2);
    expect(points.find(({ size }) => size === enough! - 1)!.p95).toBeGreaterThan(0.2);
    expect(idle!).toBeGreaterThan(enough!);
    const waits = points.filter(({ size }) => size >= least).map(({ mean }) => mean);
    for (const [at, wait] of waits.entries()) if (at > 0) expect(wait).toBeLessThanOrEqual(waits[at - 1]);
  });

  it('of nobody’s requests is one', () => {
    const none: PoolMinute[] = [{ minute: 0, arrivals: 0, holds: NO_VALUES }];
    expect(sizing([none], { sizes: [1, 2], target: 0.2, patience: 1 })).toMatchObject({ enough: 1, least: 1 });
  });

  it('counts as come in a minute who still waits at its end', () => {
    const minute = (at: number, served: number, pending: number): MeasuredMinute => ({
      minute: at,
      size: 1,
      used: 1,
      pending,
      waits: distributionOf(new Array<number>(served).fill(0.01)),
      holds: NO_VALUES,
      timeouts: 0,
    });
    expect(poolMinutes([minute(0, 10, 0), minute(1, 4, 6), minute(2, 10, 0)]).map(({ arrivals }) => arrivals)).toEqual([
      10, 10, 4,
    ]);
  });
});

describe('what moved of a pool', () => {
  const minute = (
    at: number,
    of: { size?: number; held?: number; count?: number; used?: number; pending?: number },
  ): MeasuredMinute => ({
    minute: at,
    size: of.size ?? 4,
    used: of.used ?? 0.2,
    pending: of.pending ?? 0,
    waits: distributionOf(new Array<number>(of.count ?? 60).fill(0.0005)),
    holds: distributionOf(new Array<number>(of.count ?? 60).fill(of.held ?? 0.01)),
    timeouts: 0,
  });
  const minutes = Array.from({ length: 20 }, (_, at) =>
    minute(at, { size: at < 3 ? 10 : 4, held: at < 8 ? 0.01 : 0.7, used: at < 10 ? 0.2 : 4, pending: at < 10 ? 0 : 9 }),
  );
  const figures = (of: readonly MeasuredMinute[]) => poolFigures([of], of.length);

  it('stands in the order in which it did', () => {
    const moves = whatMoved([{ instance: 'manifests-1', minutes }], figures(minutes.slice(10)), figures(minutes.slice(0, 3)));
    expect(moves).toEqual([
      { what: 'size', minute: 3, of: '' },
      { what: 'holds', minute: 8, of: '' },
      { what: 'full', minute: 10, of: 'manifests-1' },
    ]);
    expect(movesSentence(moves, figures(minutes.slice(10)), figures(minutes.slice(0, 3)), 'UTC')).toBe(
      'The size was set to 4 at 00:03 from 10; arrivals did not move; hold times moved at 00:08; all connections of manifests-1 were in use from 00:10.',
    );
  });

  it('names a size that was set before the stretch that is looked at', () =>
    expect(movesSentence([], figures(minutes.slice(10)), figures(minutes.slice(0, 3)), 'UTC')).toBe(
      'The size is 4 instead of 10, set before this stretch; arrivals did not move; hold times did not move.',
    ));

  it('is said in a sentence: holds, arrivals, size, or nothing', () => {
    const of = (more: Partial<PoolFigures>): PoolFigures => ({
      ...figures(minutes.slice(0, 3)),
      waitP95: 0,
      ...more,
    });
    const late = { waitP95: 4.08, size: 4 };
    expect(poolSentence('manifests to manifest-db', of({ ...late, holdMean: 0.56 }), of({ holdMean: 0.062 }))).toBe(
      'Each connection is held 9× longer, so 4 are too few: p95 wait none → 4.08 s',
    );
    expect(poolSentence('p', of({ ...late, arrivals: 30 }), of({ arrivals: 10 }))).toMatch(/^3× as many ask for a connection/);
    expect(poolSentence('p', of(late), of({ size: 10 }))).toMatch(/^The pool has 4 connections instead of 10/);
    expect(poolSentence('p', of({}), of({}))).toBe('p: nobody waits for a connection');
    expect(poolSentence('p', of({ requests: 0 }), of({}))).toMatch(/nobody asked for a connection/);
  });
});

describe('the worst part of a window', () => {
  const minute = (at: number, wait = 0.0005, pending = 0, count = 60): MeasuredMinute => ({
    minute: at,
    size: 4,
    used: 1,
    pending,
    waits: distributionOf(new Array<number>(count).fill(wait)),
    holds: distributionOf(new Array<number>(count).fill(0.01)),
    timeouts: 0,
  });
  const day = (of: (at: number) => MeasuredMinute) => Array.from({ length: 1440 }, (_, at) => of(at));
  const window = { from: 0, to: 1440 };

  it('is when requests waited most, which the p95 of a day does not show', () => {
    const minutes = day((at) =>
      at >= 900 && at < 930 ? minute(at, 4, 20) : at >= 300 && at < 310 ? minute(at, 0.2) : minute(at),
    );
    expect(poolFigures([minutes], 1440).waitP95).toBeLessThan(0.001);
    const part = worstPart([minutes, day((at) => minute(at))], window)!;
    expect(part).toEqual({ from: 900, to: 930 });
    const figures = poolFigures([withinMinutes({ minutes }, part).minutes], part.to - part.from);
    expect(figures.waitP95).toBeGreaterThan(3);
    expect(figures.arrivals).toBeCloseTo(1, 6);
  });

  it('goes on over a short pause, and over minutes in which nobody got a connection', () => {
    const minutes = day((at) => {
      if (at < 600 || at >= 620) return minute(at);
      if (at === 605 || at === 606) return minute(at, 0.0005);
      return at < 612 ? minute(at, 1) : minute(at, 0, 9, 0);
    });
    expect(worstPart([minutes], window)).toEqual({ from: 600, to: 620 });
  });

  it('is none when nobody waited for long, for a moment only, or all the time', () => {
    expect(worstPart([day((at) => minute(at))], window)).toBeUndefined();
    expect(worstPart([day((at) => minute(at, at === 7 || at === 8 ? 3 : 0.001))], window)).toBeUndefined();
    expect(worstPart([day((at) => minute(at, at < 800 ? 3 : 0.001))], window)).toBeUndefined();
    expect(worstPart([], window)).toBeUndefined();
  });
});
