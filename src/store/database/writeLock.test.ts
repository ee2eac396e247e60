import { setTimeout as pause } from 'node:timers/promises';
import { Worker } from 'node:worker_threads';
import { expect, it } from 'vitest';
import { newWriteLock, shareWriteLock, withoutWriteLock, withWriteLock } from './writeLock.ts';

const inTurn = <T>(work: () => Promise<T>) =>
  withWriteLock(async (takeWriteLock) => {
    await takeWriteLock();
    return work();
  });

it('is one at a time within a thread, and what else would begin waits for its end', async () => {
  const told: string[] = [];
  const turn = (name: string) =>
    inTurn(async () => {
      told.push(`${name} begins`);
      await pause(5);
      told.push(`${name} ends`);
    });
  const all = [turn('first'), turn('second')];
  await withoutWriteLock();
  await Promise.all(all);
  expect(told).toEqual(['first begins', 'first ends', 'second begins', 'second ends']);
  const third = turn('third');
  await pause(1);
  await Promise.all([third, withoutWriteLock().then(() => told.push('other work'))]);
  expect(told.slice(4)).toEqual(['third begins', 'third ends', 'other work']);
});

it('is taken when it is needed, and once', async () => {
  const told: string[] = [];
  const work = (name: string) =>
    withWriteLock(async (takeWriteLock) => {
      told.push(`${name} prepares`);
      await takeWriteLock();
      await takeWriteLock();
      told.push(`${name} has its turn`);
      await pause(5);
      told.push(`${name} ends`);
    });
  await Promise.all([work('first'), work('second'), withWriteLock(async () => told.push('no turn'))]);
  expect(told.slice(0, 3)).toEqual(['first prepares', 'second prepares', 'no turn']);
  expect(told.slice(3)).toEqual(['first has its turn', 'first ends', 'second has its turn', 'second ends']);
});

it('ends when its work fails', async () => {
  await expect(inTurn(() => Promise.reject(new Error('away')))).rejects.toThrow('away');
  expect(await inTurn(async () => 'here')).toBe('here');
});

/** A thread that holds the lock for some milliseconds, or ends while it holds it. */
function threadWith(turns: SharedArrayBuffer, ms: number): Worker {
  const code = `const { workerData, parentPort } = require('node:worker_threads');
    const state = new Int32Array(workerData.turns);
    if (Atomics.compareExchange(state, 0, 0, 1) !== 0) throw new Error('it was taken');
    parentPort.postMessage('taken');
    if (workerData.ms > 0) setTimeout(() => { Atomics.store(state, 0, 0); Atomics.notify(state, 0, 1); }, workerData.ms);`;
  return new Worker(code, { eval: true, workerData: { turns, ms } });
}

it('waits for that of another thread, but not for ever for one that has ended', async () => {
  const turns = newWriteLock();
  shareWriteLock(turns);
  const other = threadWith(turns, 200);
  await new Promise((resolve) => other.once('message', resolve));
  const began = performance.now();
  expect(await inTurn(async () => performance.now() - began)).toBeGreaterThan(100);
  await other.terminate();
  const lost = threadWith(turns, 0);
  await new Promise((resolve) => lost.once('message', resolve));
  await lost.terminate();
  expect(await inTurn(async () => 'here')).toBe('here');
  // And after it everything is as before.
  expect(await inTurn(async () => 'here again')).toBe('here again');
});
