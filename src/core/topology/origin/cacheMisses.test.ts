import { describe, expect, it } from 'vitest';
import { makeSpans, type Sketch } from '../../../../tests/support/made/traceMaker.ts';
import { assemble } from '../../trace/assemble.ts';
import type { TraceId } from '../../trace/span.ts';
import { trafficRequest } from '../traffic.ts';
import { missedTime } from './cacheMisses.ts';
import { LookUpCounts } from './lookUpCounts.ts';
import { type CallRates, NO_RATES } from './moreCalls.ts';
import { type PathPart, pathParts } from './pathParts.ts';
import { SlownessSums } from './slowness.ts';

const CACHE = { 'db.system.name': 'keyvalue', 'db.operation.name': 'GET', 'server.address': 'fare-cache' };
const lookUp = (id: number, from: number, attributes: Sketch['attributes'], parent = 0): Sketch => ({
  id,
  parent,
  from,
  to: from + 10,
  service: 'fares',
  kind: 'client',
  attributes: { ...CACHE, ...attributes },
});
const ofFares = { id: 0, from: 0, to: 100, service: 'fares', kind: 'server' } as const;

/** Parts as "fares 0–100 missed". */
function partsOf(...sketches: Sketch[]): string[] {
  return pathParts(assemble(makeSpans(...sketches))!)
    .map(([{ node, lookUp }, ns]) => `${node} ${ns}${lookUp ? (lookUp.found ? ' found' : ' missed') : ''}`)
    .sort();
}

describe('the look-up that time came after', () => {
  it('is the latest that had ended; that of a look-up is its own', () => {
    expect(partsOf(ofFares, lookUp(1, 20, { 'cache.hit': false }))).toEqual([
      'cache:fare-cache 10 missed',
      'fares 20',
      'fares 70 missed',
    ]);
    expect(partsOf(ofFares, lookUp(1, 20, { 'cache.hit': false }), lookUp(2, 50, { 'cache.hit': true }))).toEqual([
      'cache:fare-cache 10 found',
      'cache:fare-cache 10 missed',
      'fares 20',
      'fares 20 missed',
      'fares 40 found',
    ]);
  });

  it('holds for all that is called afterwards, as deep as it goes', () => {
    const parts = partsOf(
      ofFares,
      lookUp(1, 20, { 'cache.hit': false }),
      { id: 2, parent: 0, from: 40, to: 90, service: 'fares', kind: 'client' },
      { id: 3, parent: 2, from: 40, to: 90, service: 'rates', name: 'rate', kind: 'server' },
      { id: 4, parent: 3, from: 45, to: 80, service: 'rates', name: 'rate', kind: 'internal' },
    );
    expect(parts).toContain('rates 50 missed');
  });

  it('is not one that runs beside, or has not begun', () => {
    const parts = partsOf(
      ofFares,
      { id: 1, parent: 0, from: 5, to: 90, service: 'fares', kind: 'internal' },
      lookUp(2, 20, { 'cache.hit': false }),
    );
    expect(parts).toContain('fares 10 missed');
    expect(parts).toContain('fares 85');
  });

  it.each([
    ['rows came back', { 'db.response.returned_rows': 1 }, 'found'],
    ['no row came back', { 'db.response.returned_rows': 0 }, 'missed'],
    ['the span says neither', {}, undefined],
    ['something was written', { 'db.operation.name': 'SET', 'db.response.returned_rows': 0 }, undefined],
    ['it is no cache', { 'db.system.name': 'postgresql', 'cache.hit': false }, undefined],
  ])('is known where the span says so: %s', (_, attributes, outcome) => {
    const after = partsOf(ofFares, lookUp(1, 20, attributes)).find((it) => it.startsWith('fares 70') || it === 'fares 90');
    expect(after).toBe(outcome ? `fares 70 ${outcome}` : 'fares 90');
  });

  it('is counted by who asks which cache', () => {
    const counts = new LookUpCounts();
    for (const found of [true, false, false])
      counts.add(trafficRequest(assemble(makeSpans(ofFares, lookUp(1, 20, { 'cache.hit': found })))!));
    counts.add(trafficRequest(assemble(makeSpans(ofFares, lookUp(1, 20, {})))!));
    expect(counts.of('fares', 'cache:fare-cache')).toEqual({ missed: 2, found: 1 });
    expect(counts.of('holds', 'cache:fare-cache')).toEqual({ missed: 0, found: 0 });
  });
});

const own = (found?: boolean): PathPart => ({
  node: 'fares',
  party: 'fares',
  kind: 'own',
  operation: 'POST /prices',
  resource: null,
  above: ['fares', 'holds', 'gangway'],
  ...(found !== undefined && { lookUp: { cache: 'cache:fare-cache', asker: 'fares', found } }),
});
const rates = (before: [number, number], lit: [number, number]): CallRates => ({
  ...NO_RATES,
  lookUps: () => ({ before: { missed: before[0], found: before[1] }, lit: { missed: lit[0], found: lit[1] } }),
});
const amounts = (missed: number, found: number) => ({
  weight: 1,
  parts: [
    [own(false), { ns: missed }],
    [own(true), { ns: found }],
  ] as const,
});

describe('the time of misses', () => {
  it('is what the lit requests would not have spent with as many misses as before', () => {
    // 100 requests a side: 10 misses of 16 ms before, 90 of 440 ms lit; what was found takes 2 ms.
    const [cause, ...others] = missedTime(amounts(90 * 440, 10 * 2), amounts(10 * 16, 90 * 2), rates([10, 90], [90, 10]));
    expect(others).toEqual([]);
    expect(cause).toMatchObject({ cache: 'cache:fare-cache', asker: 'fares', before: 0.1, lit: 0.9, node: 'fares', kind: 'own' });
    // The same one by one: 80 requests that missed now, and would have found.
    expect(cause.ns).toBeCloseTo(80 * (440 - 2), 6);
  });

  it('is none where both take as long: what comes after is done anyway', () => {
    expect(missedTime(amounts(90 * 5, 10 * 5), amounts(10 * 5, 90 * 5), rates([10, 90], [90, 10]))).toEqual([]);
  });

  it('leaves it to the service that each miss takes longer', () => {
    const both = missedTime(amounts(50 * 100, 50 * 2), amounts(10 * 20, 90 * 2), rates([10, 90], [50, 50]));
    // 40 more misses; the other 10 took 80 longer each.
    expect(both[0].ns).toBeCloseTo(40 * 98, 6);
    const grown = 50 * 100 + 50 * 2 - 10 * 20 - 90 * 2;
    expect(grown - both[0].ns).toBeCloseTo(10 * 80, 6);
  });

  it('takes the times of before where nothing is found any more', () => {
    const [cause] = missedTime(amounts(100 * 440, 0), amounts(10 * 16, 90 * 2), rates([10, 90], [100, 0]));
    expect(cause.ns).toBeCloseTo(100 * 440 - 10 * 440 - 90 * 2, 6);
  });

  it.each([
    ['as many are missed as before', [10, 90], [11, 89]],
    ['a little more are missed', [50, 50], [58, 42]],
    ['that may be chance', [4, 16], [8, 12]],
    ['too few were looked up', [1, 9], [9, 1]],
    ['nothing was looked up before', [0, 0], [90, 10]],
  ] as const)("is nobody's when %s", (_, before, lit) => {
    expect(missedTime(amounts(90 * 440, 20), amounts(160, 180), rates([...before], [...lit]))).toEqual([]);
  });
});

describe('where slowness starts, behind a cache', () => {
  const id = (at: number) => at.toString(16).padStart(32, '0') as TraceId;
  const look = (found: boolean): PathPart => ({ ...own(found), node: 'cache:fare-cache', party: 'fare-cache', kind: 'db' });
  const sums = (lit: { misses: number; ms: number }) => {
    const sums = new SlownessSums();
    for (let at = 0; at < 100; at++)
      for (const side of ['before', 'lit'] as const) {
        const { misses, ms } = side === 'lit' ? lit : { misses: 10, ms: 16 };
        const missed = at < misses;
        sums.add('sailings', side, id(at + (side === 'lit' ? 1000 : 0)), [
          [look(!missed), 1],
          [own(!missed), missed ? ms : 2],
        ]);
      }
    return sums;
  };

  it('is the cache, and the parts still sum to the whole', () => {
    const origins = sums({ misses: 90, ms: 440 }).origins({ rates: rates([10, 90], [90, 10]) });
    expect(origins[0]).toMatchObject({ node: 'cache:fare-cache', party: 'fare-cache', starts: true });
    expect([...origins[0].through].sort()).toEqual(['fares', 'gangway', 'holds']);
    expect(origins[0].misses).toEqual([expect.objectContaining({ asker: 'fares', before: 0.1, lit: 0.9 })]);
    expect(origins.filter((it) => it.starts)).toHaveLength(1);
    const whole = 90 * 440 + 10 * 2 - 10 * 16 - 90 * 2;
    expect(origins.reduce((sum, { amount }) => sum + amount, 0)).toBeCloseTo(whole, 6);
  });

  it('is the service, where it takes longer for each miss', () => {
    const origins = sums({ misses: 10, ms: 4400 }).origins({ rates: rates([10, 90], [10, 90]) });
    expect(origins.map(({ node, misses }) => [node, misses])).toEqual([['fares', []]]);
  });
});
