import { resolve } from 'node:path';
import { Piscina } from 'piscina';
import { newWriteLock } from '../../store/database/writeLock.ts';
import type { AcceptJob, AcceptOutcome } from './acceptWorker.ts';
import { WorkerLost } from './failures.ts';
import { isStuck, newPulse } from './pulse.ts';
import type { ThreadMemory } from './threadMemory.ts';

/** Requests of a worker at a time: those that wait are written together. */
const AT_ONCE = 32;
/** A larger nursery than the usual suits what a worker does: much that lives for one request. */
const NURSERY_MB = 48;
/** Memory of a thread that lives on: beyond it the thread ends, and the process stays. */
const HEAP_MB = 320;
/** How often it is looked whether the threads are alive. */
const LOOK_MS = 1_000;
/** A body of more bytes is a large one. */
const LARGE = 2 ** 20;

/** A thread, with what it has to do at this moment. */
interface Worker {
  readonly pool: Piscina<AcceptJob, AcceptOutcome>;
  readonly pulse: SharedArrayBuffer;
  /** Bytes of the bodies it has, unpacked. */
  bytes: number;
}

/**
 * One reads and derives while the other writes; who asks is answered by neither. Large bodies all go to the first, so that the memory
 * which they need, and leave behind for a while, is needed once.
 */
let workers: [forAny: Worker, forSmall: Worker] | undefined;

/** Of all workers, those that take the place of one that has ended too. */
const turns = newWriteLock();

function startWorker(): Worker {
  const pulse = newPulse();
  const pool = new Piscina<AcceptJob, AcceptOutcome>({
    filename: resolve('dist/processes/acceptWorker.js'),
    minThreads: 1,
    maxThreads: 1,
    concurrentTasksPerWorker: AT_ONCE,
    // Between requests a worker waits without standing still: its connections are still there.
    atomics: 'disabled',
    resourceLimits: { maxYoungGenerationSizeMb: NURSERY_MB, maxOldGenerationSizeMb: HEAP_MB },
    workerData: { writeLock: turns, pulse } satisfies ThreadMemory,
  });
  const worker = { pool, pulse, bytes: 0 };
  // Called when it ends while it has nothing to do, or before it could begin.
  pool.on('error', (error) => replace(worker, error));
  return worker;
}

/** Another takes a worker's place; what it still had is told that it is lost. */
function replace(worker: Worker, why: unknown): void {
  const index = workers?.indexOf(worker) ?? -1;
  if (!workers || index < 0) return;
  console.error(new WorkerLost('a worker of intake has ended', { cause: why }));
  workers[index] = startWorker();
  worker.pool.destroy().catch(console.error);
}

function workerFor(bytes: number): Worker {
  if (!workers) {
    workers = [startWorker(), startWorker()];
    setInterval(endStuck, LOOK_MS).unref();
  }
  const [forAny, forSmall] = workers;
  return bytes > LARGE || forAny.bytes <= forSmall.bytes ? forAny : forSmall;
}

/** Ends threads that have not come to anything else for long: whatever keeps them busy would keep them so. */
function endStuck(): void {
  for (const worker of workers ?? [])
    if (worker.bytes > 0 && isStuck(worker.pulse)) replace(worker, new Error('it was busy with one request for too long'));
}

/**
 * Keeps the records of an export request in a thread. When this returns, what it says is kept has been committed. The bytes are the
 * thread's from then on.
 *
 * @throws WorkerLost
 */
export async function acceptInThread(job: AcceptJob): Promise<AcceptOutcome> {
  const worker = workerFor(job.unpackedBytes);
  worker.bytes += job.unpackedBytes;
  try {
    return await worker.pool.run(job, { transferList: job.parts.map(({ buffer }) => buffer) });
  } catch (error) {
    replace(worker, error);
    throw new WorkerLost('the work on this was broken off');
  } finally {
    worker.bytes -= job.unpackedBytes;
  }
}
