import { describe, expect, it } from 'vitest';
import type { TraceId } from '../../trace/span.ts';
import { type CallRates, causesOf, NO_RATES } from './moreCalls.ts';
import type { PathPart } from './pathParts.ts';
import { GROUPS, groupOf, groupOfBytes, ShareInterval } from './shareInterval.ts';
import { SlownessSums } from './slowness.ts';

const chain = { node: 'database:manifest-db', above: ['crew', 'gangway'], litNs: 4100, beforeNs: 10 };
const counts = (of: Record<string, [number, number]>): CallRates => ({
  counts: (caller, callee) => {
    const found = of[`${caller} ${callee}`];
    return found && { before: found[0], lit: found[1] };
  },
  caches: (caller) => Object.keys(of).flatMap((it) => (it.startsWith(`${caller} cache:`) ? it.split(' ')[1] : [])),
  lookUps: () => undefined,
});

describe('extra time of what is called', () => {
  it("is the caller's when it calls more often, each time as fast", () => {
    const [cause, ...others] = causesOf(chain, counts({ 'crew database:manifest-db': [1, 410], 'gangway crew': [1, 1] }));
    expect(others).toEqual([]);
    expect(cause).toMatchObject({ caller: 'crew', to: 'database:manifest-db', before: 1, lit: 410 });
    expect(cause.share).toBeCloseTo(1);
  });

  it("is the callee's when it takes longer each time", () => {
    expect(causesOf(chain, counts({ 'crew database:manifest-db': [2, 2.2] }))).toEqual([]);
    expect(causesOf(chain, NO_RATES)).toEqual([]);
  });

  it('is split by the logarithms of what both grew by', () => {
    // Sixteen times the time: four times the calls, each four times as long.
    const [cause] = causesOf({ ...chain, litNs: 160, beforeNs: 10 }, counts({ 'crew database:manifest-db': [1, 4] }));
    expect(cause.share).toBeCloseTo(0.5);
    const all = causesOf(
      { ...chain, litNs: 80, beforeNs: 10 },
      counts({ 'crew database:manifest-db': [1, 2], 'gangway crew': [1, 2] }),
    );
    expect(all.map((it) => it.share)).toEqual([expect.closeTo(1 / 3), expect.closeTo(1 / 3)]);
  });

  it('of a place of its own begins with the service itself', () => {
    const own = { node: 'berths', above: ['berths', 'holds'], litNs: 40, beforeNs: 10 };
    expect(causesOf(own, counts({ 'holds berths': [1, 4] }))[0]).toMatchObject({ caller: 'holds', to: 'berths' });
  });
});

describe('extra time behind a cache', () => {
  const behind = { node: 'sailings', above: ['sailings', 'holds'], litNs: 4000, beforeNs: 20 };

  it('is all that of the cache that answers less, though those behind it are slower, too', () => {
    const rates = counts({ 'holds cache:hold-cache': [1, 1], 'holds sailings': [0.18, 0.98] });
    expect(causesOf(behind, rates)).toEqual([
      { node: 'cache:hold-cache', caller: 'holds', to: 'sailings', before: 0.18, lit: 0.98, share: 1 },
    ]);
  });

  it.each([
    ['is asked less often itself', { 'holds cache:hold-cache': [1, 0.2], 'holds sailings': [0.18, 0.9] }],
    ['is asked far less often than what is behind it', { 'holds cache:hold-cache': [1, 1], 'holds sailings': [0.18, 6] }],
    ['answered nothing before', { 'holds cache:hold-cache': [1, 1.5], 'holds sailings': [1, 1.5] }],
    ['has nobody behind it that was asked before', { 'holds cache:hold-cache': [1, 1], 'holds sailings': [0, 1] }],
    ['was not asked before', { 'holds cache:hold-cache': [0, 1], 'holds sailings': [0.18, 0.9] }],
  ])('is not of one that %s', (_, of) => {
    expect(causesOf(behind, counts(of as unknown as Record<string, [number, number]>)).map(({ node }) => node)).toEqual([
      'holds',
    ]);
  });
});

const id = (at: number) => at.toString(16).padStart(32, '0') as TraceId;
const own: PathPart = { node: 'crew', party: 'crew', kind: 'own', operation: 'roster', resource: null, above: ['crew'] };
const statement: PathPart = {
  node: 'database:manifest-db',
  party: 'manifest-db',
  kind: 'db',
  operation: 'SELECT roster',
  resource: null,
  above: ['crew'],
};

describe('where slowness starts', () => {
  it('is with the one who asks more often, and the parts still sum to the whole', () => {
    const sums = new SlownessSums();
    for (let at = 0; at < 100; at++) {
      sums.add('roster', 'before', id(at), [
        [own, 10],
        [statement, 2],
      ]);
      sums.add('roster', 'lit', id(1000 + at), [
        [own, 12],
        [statement, 820],
      ]);
    }
    const unsplit = sums.origins();
    expect(unsplit[0]).toMatchObject({ party: 'manifest-db', starts: true });
    const split = sums.origins({ rates: counts({ 'crew database:manifest-db': [1, 410] }) });
    expect(split[0]).toMatchObject({ party: 'crew', starts: true, moreCalls: [{ to: 'database:manifest-db', lit: 410 }] });
    expect(split.filter((it) => it.starts)).toHaveLength(1);
    const total = (origins: typeof split) => origins.reduce((sum, it) => sum + it.amount, 0);
    expect(total(split)).toBeCloseTo(100 * (832 - 12), 6);
    expect(total(split)).toBeCloseTo(total(unsplit), 6);
  });

  it('comes with a range that holds the true share about nine times out of ten', () => {
    let state = 7;
    const random = () => {
      state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
      return state / 4294967296;
    };
    // The true means: 300 of 400 more are the statement's.
    const exponential = (mean: number) => -mean * Math.log(1 - random());
    let held = 0;
    const trials = 200;
    for (let trial = 0; trial < trials; trial++) {
      const sums = new SlownessSums();
      for (let at = 0; at < 300; at++) {
        const name = id(trial * 1000 + at);
        sums.add('roster', 'before', name, [
          [own, exponential(100)],
          [statement, exponential(100)],
        ]);
        sums.add('roster', 'lit', name, [
          [own, exponential(200)],
          [statement, exponential(400)],
        ]);
      }
      const [least, most] = sums.origins().find((it) => it.party === 'manifest-db')!.shareRange;
      if (least <= 0.75 && 0.75 <= most) held++;
    }
    expect(held / trials).toBeGreaterThanOrEqual(0.85);
    expect(held / trials).toBeLessThanOrEqual(0.95);
  });
});

describe('groups of requests', () => {
  it('are about as large, also of ids in the order of time', () => {
    const sizes = new Array<number>(GROUPS).fill(0);
    for (let at = 0; at < 6400; at++) sizes[groupOf(id(at))]++;
    for (const size of sizes) expect(size).toBeGreaterThan(120);
  });

  it('are the same of an id in bytes', () => {
    for (let at = 0; at < 200; at++) {
      const bytes = Buffer.from(`ff${id(at)}`, 'hex');
      expect(groupOfBytes(bytes, 1, bytes.length - 1)).toBe(groupOf(id(at)));
    }
  });

  it('of which all say the same leave no doubt', () => {
    const interval = new ShareInterval();
    const same = (value: number) => new Float64Array(GROUPS).fill(value);
    const only = (groups: Float64Array) => new Map([['a', { groups }]]);
    interval.add(only(same(30)), same(10), only(same(10)), same(10), 320);
    expect(interval.around('a', 1)).toEqual([1, 1]);
    expect(interval.around('unknown', 0.3)).toEqual([0.3, 0.3]);
  });
});
