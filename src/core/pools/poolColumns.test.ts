import { describe, expect, it } from 'vitest';
import { NO_VALUES } from './distribution.ts';
import { PoolReader, poolSegment } from './poolColumns.ts';
import type { MeasuredMinute, StoredPool } from './storedPool.ts';

function minute(at: number, part: Partial<MeasuredMinute> = {}): MeasuredMinute {
  return { minute: at, size: 4, used: 2.5, pending: 0, waits: NO_VALUES, holds: NO_VALUES, timeouts: 0, ...part };
}

const WAITS = {
  buckets: [
    { low: 0, high: 0.005, count: 3 },
    { low: 1, high: Number.POSITIVE_INFINITY, count: 2 },
  ],
  count: 5,
  sum: 4.25,
};
const POOLS: StoredPool[] = [
  {
    service: 'manifests',
    instance: 'manifests-0',
    name: 'manifests to manifest-db',
    server: 'manifest-db',
    minutes: [
      minute(100, { waits: WAITS, holds: { ...WAITS, sum: null }, timeouts: 2 }),
      minute(101, { size: null, used: null }),
    ],
  },
  { service: 'holds', instance: '', name: 'holds', server: '', minutes: [minute(101, { pending: null })] },
];

describe('pools as columns', () => {
  it('come back as they were', () => {
    const reader = new PoolReader(0, 1_000);
    reader.add(poolSegment(POOLS));
    expect(reader.pools()).toEqual(POOLS);
  });

  it('are put together from stretches in any order, within the minutes that are asked for', () => {
    const parts = POOLS[0].minutes.map((it) => poolSegment([{ ...POOLS[0], minutes: [it] }]));
    const whole = new PoolReader(100, 102);
    for (const part of [...parts].reverse()) whole.add(part);
    expect(whole.pools()).toEqual([POOLS[0]]);
    const first = new PoolReader(100, 101);
    for (const part of parts) first.add(part);
    expect(first.pools()).toEqual([{ ...POOLS[0], minutes: [POOLS[0].minutes[0]] }]);
  });

  it('can be read one by one', () => {
    const reader = new PoolReader(0, 1_000, { service: 'holds', name: 'holds' });
    reader.add(poolSegment(POOLS));
    expect(reader.pools()).toEqual([POOLS[1]]);
    const other = new PoolReader(0, 1_000, { service: 'holds', name: 'manifests to manifest-db' });
    other.add(poolSegment(POOLS));
    expect(other.pools()).toEqual([]);
  });
});
