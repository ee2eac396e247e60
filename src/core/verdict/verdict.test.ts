import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { addCall, noCalls } from '../measures/callSum.ts';
import { addValue, emptySketch } from '../measures/sketch.ts';
import { boundOfFindings } from './benjaminiHochberg.ts';
import { logGamma, upperTail } from './betaBinomial.ts';
import { blocksOf, type CallBlocks } from './callBlocks.ts';
import { moreToTell, normalQuantile } from './moreToTell.ts';
import { oneBlock } from './sumVerdicts.ts';
import { usualShare } from './usualShare.ts';
import { type RowCalls, type Verdict, verdicts } from './verdict.ts';

/** A seeded generator of numbers between 0 and 1 (mulberry32). */
function random(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

function normal(next: () => number): number {
  return Math.sqrt(-2 * Math.log(1 - next())) * Math.cos(2 * Math.PI * next());
}

function poisson(next: () => number, mean: number): number {
  if (mean > 60) return Math.max(0, Math.round(mean + Math.sqrt(mean) * normal(next)));
  let count = 0;
  for (let product = next(); product > Math.exp(-mean); product *= next()) count++;
  return count;
}

interface Traffic {
  readonly perMinute: number;
  readonly minutes: number;
  readonly step?: number;
  readonly from?: number;
  /** Of each minute, by its number: what share fails, and by what durations are multiplied, of what share of calls. */
  readonly failing?: (minute: number) => number;
  readonly slower?: (minute: number) => readonly [factor: number, share: number];
  /** How much the duration of all calls of a minute wanders. */
  readonly wander?: number;
}

/** Calls of about 100 ms, log-normal, coming at random. */
function traffic(next: () => number, it: Traffic): CallBlocks {
  const { perMinute, minutes, step = 1, from = 0, failing = () => 0.005, slower = () => [1, 0], wander = 0.05 } = it;
  const blocks: { at: number; calls: number; failures: number; sketch: ReturnType<typeof emptySketch> }[] = [];
  for (let minute = 0; minute < minutes; minute++) {
    if (minute % step === 0) blocks.push({ at: from + minute, calls: 0, failures: 0, sketch: emptySketch() });
    const block = blocks[blocks.length - 1];
    const centre = 100e6 * Math.exp(wander * normal(next));
    const [factor, share] = slower(minute);
    for (let call = poisson(next, perMinute); call > 0; call--) {
      block.calls++;
      if (next() < failing(minute)) block.failures++;
      addValue(block.sketch, centre * Math.exp(0.5 * normal(next)) * (next() < share ? factor : 1));
    }
  }
  return blocksOf(step, blocks);
}

/** The verdict on a row among nine quiet ones. */
function onPage(row: RowCalls, quiet: () => RowCalls): Verdict {
  return verdicts([row, ...Array.from({ length: 9 }, quiet)])[0];
}

describe('the upper tail', () => {
  it('is the sum of the probabilities of all counts from the one seen on', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 2, max: 60 }),
        fc.double({ min: 0.01, max: 0.9, noNaN: true }),
        fc.double({ min: 1.01, max: 4, noNaN: true }),
        (n, share, inflation) => {
          const k = Math.min(n, Math.floor(n * share) + 1 + Math.floor(n / 10));
          if (k <= n * share) return;
          const rho = Math.min(0.99, (inflation - 1) / (n - 1));
          const [a, b] = [share * (1 / rho - 1), (1 - share) * (1 / rho - 1)];
          // By products alone: a Pólya urn.
          const probability = (count: number) => {
            let product = 1;
            for (let at = 0; at < count; at++) product *= ((n - at) / (at + 1)) * ((a + at) / (a + b + at));
            for (let at = 0; at < n - count; at++) product *= (b + at) / (a + b + count + at);
            return product;
          };
          let sum = 0;
          for (let count = k; count <= n; count++) sum += probability(count);
          expect(upperTail(k, n, share, inflation)).toBeCloseTo(sum, 9);
        },
      ),
    );
  });

  it('is that of the binomial without unrest', () => {
    // Of 10 fair coins 8 and more fall on one side in 56 of 1024 cases.
    expect(upperTail(8, 10, 0.5, 1)).toBeCloseTo(56 / 1024, 12);
    expect(upperTail(5, 10, 0.5, 1)).toBe(1);
    expect(upperTail(30, 1000, 0.01, 1)).toBeLessThan(1e-6);
    expect(upperTail(30, 1000, 0.01, 5)).toBeGreaterThan(1e-3);
  });

  it('rests on a gamma function that agrees with factorials', () => {
    let log = 0;
    for (let n = 1; n < 60; n++) {
      expect(logGamma(n)).toBeCloseTo(log, 10);
      log += Math.log(n);
    }
    expect(logGamma(0.5)).toBeCloseTo(Math.log(Math.sqrt(Math.PI)), 11);
  });
});

it('the bound of findings holds back what is by chance', () => {
  expect(boundOfFindings([0.001, 0.5, 0.9], 0.01)).toBe(0.001);
  // One of three at 0.004 is not enough; with a second the bar is lower.
  expect(boundOfFindings([0.004, 0.5, 0.9], 0.01)).toBe(0);
  expect(boundOfFindings([0.004, 0.006, 0.9], 0.01)).toBe(0.006);
  expect(boundOfFindings([], 0.01)).toBe(0);
});

it('unrest is how much more counts vary than chance', () => {
  const next = random(5);
  const calls = Array.from({ length: 240 }, () => 100);
  const binomial = calls.map((n) => Array.from({ length: n }, () => Number(next() < 0.1)).reduce((a, b) => a + b, 0));
  expect(usualShare(calls, binomial).unrest(1)).toBeLessThan(1.3);
  const bursts = calls.map((_, at) => (at % 10 === 0 ? 60 : 4));
  expect(usualShare(calls, bursts).unrest(1)).toBeGreaterThan(20);
  expect(usualShare(calls, bursts).share).toBeCloseTo(0.096, 3);
  expect(usualShare([50], [0]).share).toBeCloseTo(0.5 / 51);
});

it('so many calls tell a share from the usual one', () => {
  expect(normalQuantile(0.01)).toBeCloseTo(2.3263, 3);
  const n = Math.ceil(moreToTell(0.05, 0.1, 1, 0.001));
  // Counted: how often the exact test finds it at that size.
  const next = random(9);
  let found = 0;
  for (let trial = 0; trial < 400; trial++) {
    let k = 0;
    for (let at = 0; at < n; at++) if (next() < 0.1) k++;
    if (upperTail(k, n, 0.05, 1) <= 0.001) found++;
  }
  expect(found / 400).toBeGreaterThan(0.7);
  expect(found / 400).toBeLessThan(0.9);
});

describe('a verdict', () => {
  const usual = { perMinute: 40, minutes: 120 };
  const rows = (next: () => number, lit: Partial<Traffic>): [RowCalls, () => RowCalls] => [
    { lit: traffic(next, { perMinute: 40, minutes: 5, ...lit }), before: traffic(next, usual) },
    () => ({ lit: traffic(next, { perMinute: 40, minutes: lit.minutes ?? 5, step: lit.step }), before: traffic(next, usual) }),
  ];
  /** How often of some pages the first row gets a state. */
  const share = (trials: number, lit: (minutes: number) => Partial<Traffic>, states: readonly string[]) => {
    let hits = 0;
    for (let seed = 1; seed <= trials; seed++) {
      const next = random(seed);
      const [row, quiet] = rows(next, lit(5));
      if (states.includes(onPage(row, quiet).state)) hits++;
    }
    return hits / trials;
  };

  it('finds within three minutes that 10 % fail, or that half take twice as long, at 40 requests a minute', () => {
    // Of a window of five minutes, the last three.
    expect(share(60, () => ({ failing: (at) => (at >= 2 ? 0.1 : 0.005) }), ['failing'])).toBeGreaterThan(0.9);
    expect(share(60, () => ({ slower: (at) => (at >= 2 ? [2, 0.5] : [1, 0]) }), ['strained'])).toBeGreaterThan(0.9);
  });

  it('finds within six minutes that 5 % fail', () => {
    expect(share(60, () => ({ minutes: 6, failing: () => 0.05 }), ['failing'])).toBeGreaterThan(0.8);
  });

  it('leaves quiet pages quiet at any length', () => {
    for (const [minutes, step, trials] of [
      [1, 1, 100],
      [5, 1, 100],
      [15, 1, 60],
      [60, 1, 20],
      [1440, 5, 3],
    ]) {
      let loud = 0;
      for (let seed = 1; seed <= trials; seed++) {
        const next = random(1000 + seed);
        const before = { ...usual, minutes: Math.max(120, minutes), step };
        const all = Array.from({ length: 10 }, () => ({
          lit: traffic(next, { perMinute: 40, minutes, step }),
          before: traffic(next, before),
        }));
        if (verdicts(all).some(({ state }) => state === 'failing' || state === 'strained')) loud++;
      }
      expect(loud / trials, `${minutes} minutes`).toBeLessThanOrEqual(0.02);
    }
  });

  it('says which part of a long window is bad', () => {
    const next = random(3);
    const before = traffic(next, { ...usual, minutes: 1440, step: 5 });
    const lit = traffic(next, {
      perMinute: 40,
      minutes: 1440,
      step: 5,
      from: 10_000,
      failing: (at) => (at >= 600 && at < 660 ? 0.24 : 0.005),
    });
    const [verdict] = verdicts([{ lit, before }]);
    expect(verdict.state).toBe('failing');
    expect(verdict.worst!.fromMinute).toBe(10_600);
    expect(verdict.worst!.toMinute).toBe(10_660);
    expect(verdict.worst!.shifted).toBeGreaterThan(0.18);
    expect(verdict.worst!.usual).toBeLessThan(0.01);
  });

  it('says perhaps, and how many calls more would tell', () => {
    let perhaps = 0;
    let told = 0;
    for (let seed = 1; seed <= 60; seed++) {
      const next = random(seed);
      const [row, quiet] = rows(next, { failing: () => 0.025 });
      const verdict = onPage(row, quiet);
      if (verdict.state !== 'perhaps') continue;
      perhaps++;
      expect(verdict.changed).toBeDefined();
      // Where more would tell; where there was too little before, no number would.
      if (verdict.moreCalls !== undefined) told++;
      expect(verdict.moreCalls ?? 1).toBeGreaterThan(0);
    }
    expect(perhaps).toBeGreaterThan(10);
    expect(told).toBeGreaterThan(5);
  });

  it('says what a few calls show beyond chance, and of fewer nothing', () => {
    const block = (durationsMs: readonly number[]) => {
      const sum = noCalls();
      for (const ms of durationsMs) addCall(sum, { durationNs: ms * 1e6, failed: false, clientError: false });
      return oneBlock([sum]);
    };
    const before = block(Array.from({ length: 50 }, (_, at) => 20 + (at % 10)));
    const state = (durationsMs: readonly number[]) => verdicts([{ lit: block(durationsMs), before }])[0].state;
    // Half of nine are twenty times as slow as all of the fifty before.
    expect(state([25, 24, 440, 430, 22, 450, 445, 441, 23])).toBe('strained');
    // One of nine may be; that the rest is as before can't be said of so few.
    expect(state([25, 24, 440, 23, 22, 21, 28, 26, 23])).toBe('unknown');
    expect(state([25, 24, 23, 21, 22, 21, 28, 26, 23])).toBe('unknown');
    expect(state([440, 430, 450, 445, 441])).toBe('unknown');
  });

  it('are as good as never wrong about a few calls', () => {
    const next = random(77);
    let claimed = 0;
    for (let page = 0; page < 400; page++) {
      const draw = (count: number) => {
        const sum = noCalls();
        for (let at = 0; at < count; at++)
          addCall(sum, {
            durationNs: Math.exp(17 + 0.8 * (next() + next() + next() - 1.5)),
            failed: next() < 0.02,
            clientError: false,
          });
        return oneBlock([sum]);
      };
      const found = verdicts(Array.from({ length: 8 }, () => ({ lit: draw(6 + Math.floor(6 * next())), before: draw(40) })));
      if (found.some(({ state }) => state === 'strained' || state === 'failing')) claimed++;
    }
    expect(claimed / 400).toBeLessThanOrEqual(0.02);
  });

  it('takes what an open incident has shown for known', () => {
    const next = random(21);
    const [row, quiet] = rows(next, { minutes: 3, failing: () => 0.04 });
    const unknown = onPage(row, quiet);
    const known = onPage({ ...row, known: ['failures'] }, quiet);
    expect(unknown.state).not.toBe('failing');
    expect(known.state).toBe('failing');
  });

  it('holds a window against itself when there is nothing before', () => {
    const none = blocksOf(1, []);
    const next = random(8);
    const bad = traffic(next, { perMinute: 40, minutes: 60, failing: (at) => (at >= 50 ? 0.08 : 0.001) });
    const [verdict] = verdicts([{ lit: bad, before: none }]);
    expect(verdict).toMatchObject({ state: 'failing', changed: 'failures', basis: 'within' });
    expect(verdict.worst!.fromMinute).toBeGreaterThanOrEqual(48);
    // All of it is bad: there is nothing in the window to hold it against either.
    const all = traffic(next, { perMinute: 40, minutes: 60, failing: () => 0.08 });
    expect(verdicts([{ lit: all, before: none }])[0]).toEqual({ state: 'failing', changed: 'failures', basis: 'none' });
    const quiet = traffic(next, { perMinute: 40, minutes: 60 });
    expect(verdicts([{ lit: quiet, before: none }])[0]).toMatchObject({ state: 'calm', basis: 'within' });
  });

  it('judges by what was promised when there is nothing before', () => {
    const none = blocksOf(1, []);
    const next = random(12);
    // About a quarter take over 140 ms.
    const lit = traffic(next, { perMinute: 40, minutes: 5, failing: () => 0 });
    const promised = (share: number, withinNs?: number) => verdicts([{ lit, before: none, objective: { share, withinNs } }])[0];
    expect(promised(0.95, 140e6)).toEqual({ state: 'strained', changed: 'p95', basis: 'none' });
    expect(promised(0.5, 140e6).state).toBe('unknown');
    expect(promised(0.99).state).toBe('unknown');
    // Where there is something before, that judges.
    const before = traffic(next, usual);
    expect(verdicts([{ lit, before, objective: { share: 0.95, withinNs: 140e6 } }])[0].state).toBe('calm');
  });

  it('does not judge what is too little, or too little before', () => {
    const next = random(4);
    const few = traffic(next, { perMinute: 2, minutes: 3 });
    expect(verdicts([{ lit: few, before: traffic(next, usual) }])[0]).toEqual({ state: 'unknown', basis: 'none' });
    // A hundredth of the requests says nothing of what is usual.
    const long = traffic(next, { perMinute: 40, minutes: 600, step: 5 });
    const short = traffic(next, { perMinute: 40, minutes: 6 });
    expect(verdicts([{ lit: long, before: short }])[0].basis).toBe('within');
  });

  it('ignores a change that is sure but small', () => {
    const next = random(6);
    const before = traffic(next, { perMinute: 2000, minutes: 60, wander: 0 });
    const lit = traffic(next, { perMinute: 2000, minutes: 10, wander: 0, slower: () => [1.15, 1], failing: () => 0.009 });
    expect(verdicts([{ lit, before }])[0].state).toBe('calm');
  });
});
