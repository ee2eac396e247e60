import { Worker } from 'node:worker_threads';
import { expect, it } from 'vitest';
import { isStuck, newPulse } from './pulse.ts';

const seconds = () => Math.floor(Date.now() / 1000);

it('holds a thread that has said nothing for more than ten seconds to be stuck', () => {
  const pulse = newPulse();
  expect([isStuck(pulse), isStuck(pulse, seconds() + 9), isStuck(pulse, seconds() + 12)]).toEqual([false, false, true]);
});

it('is heard from another thread, and not from one that comes to nothing else', async () => {
  const pulse = newPulse();
  const last = () => new Int32Array(pulse)[0];
  new Int32Array(pulse)[0] = 0;
  // The same beat as `keepPulse`, in a thread that stands still for a while before it can tell.
  const thread = new Worker(
    `const { workerData } = require('node:worker_threads');
     const beat = () => Atomics.store(new Int32Array(workerData), 0, Math.floor(Date.now() / 1000));
     setInterval(beat, 20);
     const until = Date.now() + 300; while (Date.now() < until);`,
    { eval: true, workerData: pulse },
  );
  try {
    expect(isStuck(pulse)).toBe(true);
    await expect.poll(last, { timeout: 10_000 }).toBeGreaterThan(0);
    expect(isStuck(pulse)).toBe(false);
  } finally {
    await thread.terminate();
  }
});
