import { describe, expect, it } from 'vitest';
import type { PoolDetail } from '../../api/pools/pool.ts';
import { arrivalsOf, verdictOf, worstOf } from './lanes.ts';

type Instances = PoolDetail['instances'];
const instance = (minutes: readonly { at: number; arrivals: number; p95?: number | null }[]) =>
  ({ minutes }) as unknown as Instances[number];
const p95 = (it: Instances[number]['minutes'][number]) => (it as unknown as { p95: number | null }).p95;

describe('instances of a pool together', () => {
  const both = [
    instance([
      { at: 120, arrivals: 3, p95: 40 },
      { at: 60, arrivals: 1, p95: null },
    ]),
    instance([
      { at: 60, arrivals: 2, p95: 7 },
      { at: 180, arrivals: 4, p95: null },
    ]),
  ];

  it('have the arrivals of all, minute by minute, in order', () => {
    expect(arrivalsOf(both)).toEqual([
      [60, 3],
      [120, 3],
      [180, 4],
    ]);
  });

  it('are as bad as the worst of them; of what nobody reported nothing is known', () => {
    expect(worstOf(both, p95)).toEqual([
      [60, 7],
      [120, 40],
      [180, null],
    ]);
    expect(worstOf([], p95)).toEqual([]);
  });
});

describe('the verdict on a size', () => {
  const sizing = { least: 3, enough: 6, idle: 12 } as PoolDetail['sizing']['lit'];

  it.each([
    [2, 'backlog'],
    [3, 'late'],
    [5, 'late'],
    [6, 'enough'],
    [12, 'enough'],
    [13, 'idle'],
  ])('%i is %s', (size, verdict) => {
    expect(verdictOf(size, sizing)).toBe(verdict);
  });

  it('is late at any size where none is enough, and idle at none where that is not known', () => {
    expect(verdictOf(50, { ...sizing, enough: null })).toBe('late');
    expect(verdictOf(50, { ...sizing, idle: null })).toBe('enough');
  });
});
