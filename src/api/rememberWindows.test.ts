import { describe, expect, it } from 'vitest';
import { condition } from '../core/scope/condition.ts';
import { rememberWindows } from './rememberWindows.ts';

const NS = 1_000_000n;
const windowOf = (from: number, to: number, more: object = {}) => ({ from: BigInt(from) * NS, to: BigInt(to) * NS, ...more });
const now = Date.now();
const HOUR = 3_600_000;
const before = windowOf(now - 9 * HOUR, now - 8 * HOUR);

describe('what was found of two windows', () => {
  it('is the same for the same moments and the same question, and for nothing else', () => {
    const lit = windowOf(now - HOUR, now);
    const key = (windows: Parameters<typeof rememberWindows>[0], others: unknown = 'shown') =>
      rememberWindows(windows, others).key;
    const narrowed = { where: [condition('service', 'is', 'berths')] };
    const keys = [
      key({ lit, before }),
      key({ lit, before }, 'hidden'),
      key({ lit: windowOf(now - HOUR, now + 1), before }),
      key({ lit, before: windowOf(now - 9 * HOUR, now - 7 * HOUR) }),
      key({ lit: before, before: lit }),
      key({ lit: { ...lit, ...narrowed }, before: { ...before, ...narrowed } }),
    ];
    expect(new Set(keys).size).toBe(keys.length);
    expect(key({ lit: windowOf(now - HOUR, now), before })).toBe(keys[0]);
  });

  it('is good for minutes when the lit one is over, and for seconds while spans of it may come', () => {
    const ms = (to: number) => rememberWindows({ lit: windowOf(to - HOUR, to), before }, '').ms;
    expect(ms(now - HOUR)).toBe(600_000);
    for (const to of [now, now - 200_000, now + 59_000]) expect(ms(to)).toBe(20_000);
  });
});
