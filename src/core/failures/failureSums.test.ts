import { describe, expect, it } from 'vitest';
import { type CountedFailure, FailureSums } from './failureSums.ts';

const MINUTE = 60_000;

function failure(part: Partial<CountedFailure>): CountedFailure {
  const usual = {
    service: 'holds',
    operation: 'POST /holds',
    handles: true,
    type: 'NoRoom',
    shape: 'no room on lane …',
    code: '500',
  };
  return { traceId: 'a', ...usual, atMs: 0, user: null, passesOn: false, ...part };
}

function sumsOf(...failures: Partial<CountedFailure>[]): FailureSums {
  const sums = new FailureSums(0, 10 * MINUTE, 5);
  for (const it of failures) sums.add(failure(it));
  return sums;
}

describe('failures of a window', () => {
  it('are counted by kind: spans, requests, users, operations, those passed on, first and last', () => {
    const { groups, requests } = sumsOf(
      { user: 'u1', atMs: 3 * MINUTE },
      { user: 'u1', operation: 'layout.solve', handles: false, passesOn: true, atMs: 2 * MINUTE },
      { traceId: 'b', user: 'u2', atMs: 9 * MINUTE },
      { traceId: 'c', user: null, atMs: 4 * MINUTE },
    );
    expect(requests).toBe(3);
    const [sum] = groups.values();
    expect(groups.size).toBe(1);
    expect(sum).toMatchObject({ count: 4, requests: 3, passedOn: 1, first: 2 * MINUTE, last: 9 * MINUTE });
    expect([...sum.users]).toEqual(['u1', 'u2']);
    expect([...sum.operations]).toEqual(['POST /holds', 'layout.solve']);
    expect(sum.trend).toEqual([0, 2, 1, 0, 1]);
  });

  it('are of different kinds by service, type or shape, whose texts do not run into each other', () => {
    const { groups } = sumsOf(
      {},
      { service: 'berths' },
      { type: 'Timeout' },
      { shape: '' },
      { type: 'NoRoom no', shape: 'room' },
    );
    expect(groups.size).toBe(5);
  });

  it('count a code once a request, however often it is passed on, and none where there is none', () => {
    const { codes } = sumsOf({}, { service: 'gangway' }, { code: '503' }, { traceId: 'b' }, { traceId: 'b', code: '' });
    expect(Object.fromEntries(codes)).toEqual({ 500: 2, 503: 1 });
  });

  it('count operations that handle requests, span by span', () => {
    const { operations } = sumsOf({}, { traceId: 'b' }, { operation: 'SELECT berth', handles: false });
    expect([...operations.values()]).toEqual([{ service: 'holds', operation: 'POST /holds', failing: 2 }]);
  });

  it('of more kinds than are counted are told by their number, and known kinds go on', () => {
    const { groups, others, requests, codes } = sumsOf(
      ...Array.from({ length: 5_003 }, (_, at) => ({ traceId: `t${at}`, shape: `shape ${at}` })),
      { traceId: 'again', shape: 'shape 0' },
    );
    expect([groups.size, others, requests, codes.get('500')]).toEqual([5_000, 3, 5_004, 5_004]);
    expect([...groups.values()][0].count).toBe(2);
  });

  it('that began a little outside of the window belong to its first or last part', () => {
    const { groups } = sumsOf({ atMs: -5 }, { atMs: 10 * MINUTE + 5 });
    expect([...groups.values()][0].trend).toEqual([1, 0, 0, 0, 1]);
  });
});
