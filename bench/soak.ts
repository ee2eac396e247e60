import { spawnSync } from 'node:child_process';
import { setTimeout as sleep } from 'node:timers/promises';
import { build, isBuilt } from '../src/server/build.ts';
import { install } from '../tests/support/installation.ts';
import { getJson, PROTOBUF, post } from '../tests/support/sending.ts';
import { PER_BATCH, print, sendBatches, spansOf } from './support/load.ts';

const SENDERS = 4;

const WARM_UP = 300;
const MEASURED = 200;
const TOO_LONG_MS = 2_000;

/**
 * Load at four fifths of what the door takes at most, for a while: memory, the longest request, and whether the counts are the sender's.
 *
 * @param minutes how long
 */
export async function benchSoak(minutes = 30): Promise<void> {
  if (!isBuilt()) await build();
  const dusk = await install({ onDisk: true });
  const rss = () =>
    Number(spawnSync('ps', ['-o', 'rss=', '-p', String(dusk.application.pid)], { encoding: 'utf8' }).stdout) / 1024;
  try {
    const batches = (from: number, count: number) => Array.from({ length: count }, (_, at) => from + at);
    // What runs all the time is translated well after a while only: before, the most is less than it will be.
    await sendBatches(dusk.url, batches(0, WARM_UP), SENDERS, spansOf);
    const most = await sendBatches(dusk.url, batches(WARM_UP, MEASURED), SENDERS, spansOf);
    const fullRate = (MEASURED * PER_BATCH) / most.seconds;
    const everyMs = (PER_BATCH / (0.8 * fullRate)) * 1000;
    print('spans a second at most', fullRate.toFixed(0));
    const requestMs: number[] = [];
    const memory: number[] = [];
    const began = performance.now();
    const end = began + minutes * 60_000;
    let batch = WARM_UP + MEASURED;
    let next = began;
    let later = 0;
    /** When each of those that took too long began, seconds. */
    const slow: number[] = [];
    const sender = async () => {
      while (performance.now() < end) {
        // Each batch has its time; a sender that comes late does not slow the others down.
        const due = next;
        next += everyMs;
        await sleep(Math.max(0, due - performance.now()));
        const body = spansOf(batch++);
        for (;;) {
          const start = performance.now();
          const answer = await post(dusk.url, body, PROTOBUF);
          await answer.arrayBuffer();
          const ms = performance.now() - start;
          requestMs.push(ms);
          if (ms > TOO_LONG_MS) slow.push((start - began) / 1000);
          if (answer.status === 200) break;
          later++;
          await sleep(2000);
        }
        if (batch % 200 === 0) memory.push(rss());
      }
    };
    await Promise.all(Array.from({ length: SENDERS }, sender));
    const seconds = (performance.now() - began) / 1000;
    const { spans } = await getJson(dusk.url, '/api/health');
    const sorted = [...requestMs].sort((a, b) => a - b);
    print('spans a second sent', (((batch - WARM_UP - MEASURED) * PER_BATCH) / seconds).toFixed(0));
    print('kept, and sent', `${spans}, ${batch * PER_BATCH}`);
    print('told to come again', String(later));
    print(
      'a request: median, p99, longest',
      [0.5, 0.99, 1].map((share) => `${sorted[Math.floor(share * (sorted.length - 1))].toFixed(0)} ms`).join(', '),
    );
    print('longer than 2 s', `${slow.length}${slow.length > 0 ? `, at ${slow.map((at) => at.toFixed(0)).join(', ')} s` : ''}`);
    print(
      'memory over time, MiB',
      memory
        .filter((_, at) => at % Math.ceil(memory.length / 15) === 0)
        .map((mib) => mib.toFixed(0))
        .join(' '),
    );
  } finally {
    await dusk.stop();
  }
}
