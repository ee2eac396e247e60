import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { beforeAt } from './before.ts';
import { type LitWindow, momentQuery, scopeQuery, settledScope, windowAt, windowToNow } from './scope.ts';
import { isOfMinutes, minutesWithin, nearestMinutes, wholeMinutes } from './wholeMinutes.ts';

const MINUTE = 60_000;
const DAY = 1440 * MINUTE;
const START = Date.parse('2026-05-02T00:00Z');

const stretches = fc
  .tuple(fc.integer({ min: 0, max: DAY }), fc.integer({ min: 1, max: DAY }))
  .map(([from, length]) => ({ from: START + from, to: START + from + length }));
const long = stretches.filter(({ from, to }) => to - from >= 5 * MINUTE);
const isWhole = ({ from, to }: { from: number; to: number }) => from % MINUTE === 0 && to % MINUTE === 0;

describe('a window', () => {
  it('has the minutes in which it begins and ends, and no others; one of less than five minutes stays', () => {
    fc.assert(
      fc.property(stretches, (it) => {
        const { from, to } = wholeMinutes(it);
        if (it.to - it.from < 5 * MINUTE) expect({ from, to }).toEqual(it);
        else {
          expect(isWhole({ from, to })).toBe(true);
          expect([it.from - from, to - it.to].every((more) => more >= 0 && more < MINUTE)).toBe(true);
        }
        expect(wholeMinutes({ from, to })).toEqual({ from, to });
        expect(isOfMinutes({ from, to })).toBe(isWhole({ from, to }) || to - from >= 5 * MINUTE);
      }),
    );
  });

  it('that follows the clock is as long as it was asked for, and has the minute that runs', () => {
    fc.assert(
      fc.property(fc.integer({ min: 5, max: 1440 }), fc.integer({ min: 0, max: DAY }), (minutes, at) => {
        const now = START + at;
        const { from, to } = windowAt({ type: 'last', ms: minutes * MINUTE }, now);
        expect(to - from).toBe(minutes * MINUTE);
        expect(isWhole({ from, to })).toBe(true);
        expect(to - now).toBeGreaterThanOrEqual(0);
        expect(to - now).toBeLessThan(MINUTE);
      }),
    );
  });

  it('is the same for all who ask within a minute', () => {
    const lit: LitWindow = { type: 'last', ms: 60 * MINUTE };
    expect(windowAt(lit, START + 1)).toEqual(windowAt(lit, START + MINUTE));
    expect(windowAt(lit, START + MINUTE + 1)).not.toEqual(windowAt(lit, START + MINUTE));
  });
});

describe('what holds at the end of a window', () => {
  it('is asked about at the moment itself: that of the clock, or of the window to the second', () => {
    fc.assert(
      fc.property(stretches, fc.integer({ min: 1, max: 1440 }), ({ from, to }, minutes) => {
        const scope = { before: { type: 'calm' }, chips: [] } as const;
        const lit = { type: 'fixed', from, to } as const;
        expect(windowToNow(lit, 0)).toEqual({ from, to });
        expect(windowToNow({ type: 'last', ms: minutes * MINUTE }, to)).toEqual({ from: to - minutes * MINUTE, to });
        expect(momentQuery({ ...scope, lit }, 0)).toMatchObject({ to: new Date(to).toISOString(), before: 'calm' });
        // All else is of the whole minutes that hold it.
        const whole = scopeQuery({ ...scope, lit }, 0);
        expect(Date.parse(whole.from!)).toBeLessThanOrEqual(from);
        expect(Date.parse(whole.to!)).toBeGreaterThanOrEqual(to);
      }),
    );
  });
});

describe('a window drawn by hand', () => {
  it('has the nearest minutes, and is the same when it is moved by whole minutes and back', () => {
    fc.assert(
      fc.property(long, fc.integer({ min: -500, max: 500 }), (it, minutes) => {
        const drawn = nearestMinutes(it);
        expect(isWhole(drawn)).toBe(true);
        expect([drawn.from - it.from, drawn.to - it.to].every((by) => Math.abs(by) <= MINUTE / 2)).toBe(true);
        const by = minutes * MINUTE + 17_000;
        const { from, to } = windowAt({ type: 'fixed', ...nearestMinutes({ from: drawn.from + by, to: drawn.to + by }) }, 0);
        expect(to - from).toBe(drawn.to - drawn.from);
        expect(from - drawn.from).toBe(minutes * MINUTE);
      }),
    );
  });

  it('is settled with its scope; one that follows the clock, or of seconds, stays', () => {
    const scope = { before: { type: 'calm' }, chips: [] } as const;
    const lit = { type: 'fixed', from: START + 12_000, to: START + 10 * MINUTE + 44_000 } as const;
    expect(settledScope({ ...scope, lit }).lit).toEqual({ type: 'fixed', from: START, to: START + 11 * MINUTE });
    for (const other of [{ type: 'last', ms: 90_000 } as const, { ...lit, to: START + 50_000 }])
      expect(settledScope({ ...scope, lit: other }).lit).toEqual(other);
  });
});

describe('a calm stretch', () => {
  it('has only minutes that lie within it', () => {
    fc.assert(
      fc.property(long, (it) => {
        const { from, to } = minutesWithin(it);
        expect(isWhole({ from, to })).toBe(true);
        expect([from - it.from, it.to - to].every((less) => less >= 0 && less < MINUTE)).toBe(true);
      }),
    );
  });

  it('is of whole minutes where what is kept begins, or trouble ends, within one', () => {
    const lit = { from: START + 600 * MINUTE, to: START + 660 * MINUTE };
    const troubled = [{ from: START + 560 * MINUTE + 100, to: START + 590 * MINUTE - 100 }];
    const calm = beforeAt({ type: 'calm' }, lit, troubled, START + 500 * MINUTE + 12_345);
    expect(calm).toEqual({ from: START + 501 * MINUTE, to: START + 555 * MINUTE });
  });
});
