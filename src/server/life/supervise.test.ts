import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { pauseAfter, Supervised } from './supervise.ts';

beforeEach(() => void vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout', 'performance'] }));
afterEach(() => void vi.useRealTimers());

vi.mock('node:timers/promises', () => ({
  setTimeout: (ms: number) => new Promise((resolve) => setTimeout(resolve, ms)),
}));

/** A process that can be ended, and what was said of it. */
function supervised(fails: (start: number) => boolean = () => false) {
  const said: string[] = [];
  const ends: (() => void)[] = [];
  let starts = 0;
  let isEnding = false;
  const it = new Supervised({
    what: 'It',
    start: async () => {
      starts++;
      if (fails(starts)) throw new Error('no memory');
      return { ended: new Promise<void>((resolve) => ends.push(resolve)) };
    },
    say: (text) => said.push(text),
    isEnding: () => isEnding,
  });
  const settle = (ms: number) => vi.advanceTimersByTimeAsync(ms);
  return {
    it,
    said,
    settle,
    starts: () => starts,
    end: () => ends.at(-1)!(),
    stop: () => {
      isEnding = true;
    },
  };
}

it('waits a second first, twice as long each time, a minute at most', () => {
  expect([1, 2, 3, 6, 7, 8, 1000].map(pauseAfter)).toEqual([1_000, 2_000, 4_000, 32_000, 60_000, 60_000, 60_000]);
});

it('starts again what has ended, and again, and does not give up', async () => {
  const { it: kept, starts, end, settle } = supervised();
  await kept.begin();
  for (let times = 1; times <= 20; times++) {
    end();
    await settle(60_000);
    expect(starts()).toBe(times + 1);
  }
  expect(kept.restarts).toBe(20);
});

it('says what happens, also when a start fails, and goes on', async () => {
  const { it: kept, said, end, settle, starts } = supervised((start) => start === 2);
  await kept.begin();
  end();
  await settle(1_000);
  expect(kept.current).toBeUndefined();
  await settle(2_000);
  expect(kept.current).toBeDefined();
  expect(starts()).toBe(3);
  expect(said).toEqual([
    'It ended; starting it again in 1 s.',
    'It did not start: no memory',
    'It ended; starting it again in 2 s.',
    'It runs again.',
  ]);
});

it('begins with the first pause once it has run for a minute', async () => {
  const { it: kept, said, end, settle } = supervised();
  await kept.begin();
  end();
  await settle(1_000);
  end();
  await settle(2_000);
  await settle(60_000);
  end();
  await settle(1_000);
  expect(said.filter((text) => text.includes('again in'))).toEqual(
    [1, 2, 1].map((s) => `It ended; starting it again in ${s} s.`),
  );
});

it('is started anew at once when that is wanted, and not at all when everything ends', async () => {
  const { it: kept, starts, end, settle, stop } = supervised();
  await kept.begin();
  await kept.renew(async () => end());
  await settle(0);
  expect([starts(), kept.restarts]).toEqual([2, 0]);
  stop();
  end();
  await settle(100_000);
  expect(starts()).toBe(2);
});

it('what cannot start the first time, tried three times, is an error', async () => {
  const { it: kept, starts, settle } = supervised(() => true);
  const begun = expect(kept.begin()).rejects.toThrow('no memory');
  await settle(10_000);
  await begun;
  expect(starts()).toBe(3);
});
