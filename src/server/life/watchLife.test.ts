import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { watchLife } from './watchLife.ts';

beforeEach(() => void vi.useFakeTimers({ toFake: ['setInterval', 'clearInterval'] }));
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

/** Lets so many questions be asked, and answered. */
async function rounds(count: number): Promise<void> {
  for (let round = 0; round < count; round++) {
    vi.advanceTimersByTime(5_000);
    await new Promise((resolve) => setImmediate(resolve));
  }
}

it('reports a process that is silent for half a minute; one answer in between starts the count again', async () => {
  let isAlive = true;
  vi.stubGlobal('fetch', async () => {
    if (!isAlive) throw new Error('no answer');
    return { ok: true };
  });
  const stuck = vi.fn();
  const stop = watchLife(() => 'http://127.0.0.1/', stuck);
  await rounds(10);
  isAlive = false;
  await rounds(5);
  isAlive = true;
  await rounds(1);
  isAlive = false;
  await rounds(5);
  expect(stuck).not.toHaveBeenCalled();
  await rounds(1);
  expect(stuck).toHaveBeenCalledTimes(1);
  stop();
  await rounds(20);
  expect(stuck).toHaveBeenCalledTimes(1);
});

it('asks nobody while the process is away', async () => {
  const fetch = vi.fn();
  vi.stubGlobal('fetch', fetch);
  const stop = watchLife(() => undefined, fetch);
  await rounds(20);
  expect(fetch).not.toHaveBeenCalled();
  stop();
});
