import { describe, expect, it } from 'vitest';
import type { DatabaseStatement } from '../../api/databases/statement.ts';
import { WAIT_CLASSES, type WaitClass } from '../../core/database/waitClasses.ts';
import { amount, callTime, rangeText, statementHeadline, timesWords } from './words.ts';

const load = (of: Partial<Record<WaitClass, number>>) => {
  const byClass = WAIT_CLASSES.map((name) => of[name] ?? 0);
  return { value: byClass.reduce((sum, it) => sum + it, 0), error: 0.1, byClass, samples: 3600 };
};
const cost = (ms: number, calls = 10) => ({ ms, calls, rows: 1, blocksHit: 1, blocksRead: 0, blocksTemporary: 0 });
const headline = (of: {
  lit?: ReturnType<typeof load> | null;
  before?: ReturnType<typeof load> | null;
  move?: DatabaseStatement['move'];
  cost?: { lit: ReturnType<typeof cost> | null; before: ReturnType<typeof cost> | null };
}) =>
  statementHeadline({
    title: 'SELECT booking',
    lit: load({ CPU: 1 }),
    before: load({ CPU: 1 }),
    move: 'flat',
    cost: { lit: null, before: null },
    ...of,
  } as DatabaseStatement);

describe('the headline of a statement', () => {
  it('is what a call costs, where that changed, and what it waits for', () => {
    const lit = load({ CPU: 0.4, IO: 3.6 });
    expect(headline({ lit, move: 'up', cost: { lit: cost(48), before: cost(2) } })).toBe(
      'SELECT booking: 2.00 ms → 48.0 ms a call, 90 % of it disk',
    );
    expect(headline({ cost: { lit: cost(1), before: cost(2) } })).toBe(
      'SELECT booking: 2.00 ms → 1.00 ms a call, faster than before',
    );
  });

  it('is that it is called more often, when each call is as fast', () => {
    const more = { lit: cost(2.1, 410), before: cost(2, 10) };
    expect(headline({ lit: load({ CPU: 3 }), move: 'up', cost: more })).toBe(
      'SELECT booking: as fast as before, called 41 × as often',
    );
  });

  it('is its load where nobody counts calls', () => {
    expect(headline({ lit: load({ CPU: 3 }), move: 'up' })).toBe('SELECT booking: 1.0 → 3.0 sessions');
    expect(headline({ lit: load({ Lock: 3 }), before: null, move: 'up' })).toBe(
      'SELECT booking: 3.0 sessions, no reference, 100 % of it waiting for a lock',
    );
    expect(headline({})).toBe('SELECT booking: 1.0 sessions, as before');
  });

  it('does not say as before of what can not be compared', () => {
    expect(headline({ move: 'unknown', before: null })).toBe('SELECT booking: 1.0 sessions; too few samples to compare');
  });

  it('says when it was not seen', () => {
    expect(headline({ lit: null })).toBe('SELECT booking: was not seen at work in this window');
    expect(headline({ lit: load({}), cost: { lit: cost(0.4), before: null } })).toBe('SELECT booking: 400 µs a call');
  });
});

it('writes amounts with three figures, large ones whole', () => {
  expect([0, 0.0123, 4.5678, 99.5, 1234.4].map(amount)).toEqual(['0', '0.0123', '4.57', '99.5', amount(1234)]);
  expect(callTime(7420)).toBe('7.42 s');
});

describe('times by spans', () => {
  const side = (calls: number, p95: { value: number; low: number; high: number } | null) => ({
    calls,
    requests: calls,
    read: 400,
    total: 5_000,
    p50: p95,
    p95,
  });
  const range = { value: 16e6, low: 14e6, high: 21e6 };

  it('have their range, and say what they rest on', () => {
    expect(rangeText(range)).toBe('14.0–21.0 ms');
    expect(rangeText({ value: 1, low: 786e6, high: 1.05e9 })).toBe('786 ms–1.05 s');
    const words = timesWords({ entries: ['GET /berths'], lit: side(390, range), before: side(312, range) });
    expect(words).toMatch(/390 calls in 400 of 5\D000 requests, before 312; below each its 95 % range\.$/);
  });

  it('say when there is not enough, and why', () => {
    expect(timesWords({ entries: ['GET /berths'], lit: side(12, null), before: side(12, null) })).toMatch(
      /–: not enough calls\.$/,
    );
    expect(timesWords({ entries: ['GET /berths'], lit: side(0, null), before: side(0, null) })).toContain(
      'no span calls this server with its text',
    );
    expect(timesWords({ entries: [], lit: side(0, null), before: side(0, null) })).toContain('no sample in this window');
  });
});
