import { afterEach, expect, it, vi } from 'vitest';
import { Midnight } from './midnight.ts';

afterEach(() => {
  vi.useRealTimers();
});

it('has passed once for each that asks, when a day (UTC) has begun', () => {
  vi.useFakeTimers({ now: Date.parse('2026-05-02T22:00:00Z') });
  const one = new Midnight();
  const other = new Midnight();
  expect(one.hasPassed()).toBe(false);
  vi.setSystemTime(Date.parse('2026-05-02T23:59:59.999Z'));
  expect(one.hasPassed()).toBe(false);
  vi.setSystemTime(Date.parse('2026-05-03T00:00:00Z'));
  expect([one.hasPassed(), one.hasPassed(), other.hasPassed()]).toEqual([true, false, true]);
  // Who did not ask for days hears of it once.
  vi.setSystemTime(Date.parse('2026-05-09T12:00:00Z'));
  expect([one.hasPassed(), one.hasPassed()]).toEqual([true, false]);
});
