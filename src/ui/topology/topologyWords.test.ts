import { describe, expect, it } from 'vitest';
import type { SumAnswer } from '../../api/map/map.ts';
import type { Starts } from '../../api/map/starts.ts';
import { betweenNs } from './between.ts';
import { originShare } from './originWords.ts';
import { failureStarts, slownessStarts } from './starting.ts';
import { timeParts } from './stripes.ts';

const sumOf = (calls: number, totalNs: number): SumAnswer => ({
  calls,
  failures: 0,
  clientErrors: 0,
  meanNs: null,
  totalNs,
  p50Ns: null,
  p95Ns: null,
});

describe('what lies between the two sides of calls', () => {
  it('is what callers measured a call without what callees did, failed calls too', () => {
    expect(betweenNs(sumOf(10, 5_000), sumOf(10, 4_000))).toBe(100);
    expect(betweenNs(sumOf(100, 50_000), sumOf(95, 38_000))).toBe(100);
  });

  it('is not known where callees report few of them, or none; and never less than nothing', () => {
    expect(betweenNs(sumOf(100, 50_000), sumOf(80, 30_000))).toBeNull();
    expect(betweenNs(sumOf(10, 5_000), sumOf(0, 0))).toBeNull();
    expect(betweenNs(sumOf(0, 0), sumOf(0, 0))).toBeNull();
    expect(betweenNs(sumOf(10, 4_000), sumOf(10, 5_000))).toBe(0);
  });
});

describe('where trouble starts', () => {
  const origin = (node: string, share: number, starts: boolean) =>
    ({ node, share, starts }) as Starts['slowness']['origins'][number];
  const startsOf = (machine: Starts['slowness']['machine'], ...origins: ReturnType<typeof origin>[]) =>
    ({ slowness: { origins, machine }, failures: { origins } }) as unknown as Starts;

  it('is each place that has a fifth of it; of a machine that all are on, each with a notable part', () => {
    const [berths, fares, crew] = [origin('berths', 0.6, true), origin('fares', 0.1, false), origin('crew', 0.02, false)];
    expect(slownessStarts(startsOf(null, berths, fares, crew))).toEqual([berths]);
    const machine = { name: 'quay-3', share: 0.9, nodes: ['berths', 'fares', 'crew'] };
    expect(slownessStarts(startsOf(machine, berths, fares, crew))).toEqual([berths, fares]);
    expect(failureStarts(startsOf(machine, berths, fares))).toEqual([berths]);
  });

  it('is nowhere while it is not known', () => {
    expect([slownessStarts(undefined), failureStarts(undefined)]).toEqual([[], []]);
  });

  it('has a range where that is wider than a point', () => {
    expect(originShare({ share: 0.72, shareRange: [0.65, 0.8] })).toBe('72 % (65–80)');
    expect(originShare({ share: 0.72, shareRange: [0.715, 0.725] })).toBe('72 %');
    expect(originShare({ share: 0.004, shareRange: [0, 0.01] })).toBe('0.4 %');
  });
});

describe('a stripe of time', () => {
  const line = (kind: 'own' | 'db' | 'below' | 'gap', party: string, ns: number) => ({ kind, party, ns });

  it('has its own part first and what it waits for last, and leaves out what is too thin to be seen', () => {
    const lines = [
      line('below', 'fares', 30),
      line('gap', 'fares', 0.5),
      line('db', 'sailing-db', 20),
      line('own', 'sailings', 49.5),
    ];
    const parts = timeParts({ meanNs: 100, requests: 7, lines });
    expect(parts.map(({ key, share }) => [key, share])).toEqual([
      ['own sailings', 0.495],
      ['db sailing-db', 0.2],
      ['below fares', 0.3],
    ]);
    expect(parts[0].colour).toBe('var(--t-own)');
    expect(parts[2].colour).toMatch(/^color-mix/);
  });

  it('has nothing where nothing is known', () => {
    expect([timeParts(null), timeParts(undefined)]).toEqual([[], []]);
  });
});
