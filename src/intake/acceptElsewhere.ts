import { resolve } from 'node:path';
import { Piscina } from 'piscina';
import type { OtlpEncoding } from '../formats/otlp/wire/answers.ts';
import type { Signal } from '../formats/otlp/wire/messages.ts';
import { MalformedRequest } from '../formats/otlp/wire/refusal.ts';
import { newWriteLock } from '../store/database/writeLock.ts';
import type { Accepted } from './accept.ts';
import type { AcceptJob, AcceptOutcome } from './acceptWorker.ts';
import { maskingChanges } from './masking.ts';
import { type PackedBody, RefusedBody } from './requestBody.ts';

/** Requests of a worker at a time: those that wait are written together. */
const AT_ONCE = 32;
/** A larger nursery than the usual suits what a worker does: much that lives for one request. */
const NURSERY_MB = 48;
/** A body of more bytes is a large one. */
const LARGE = 2 ** 20;

/** A thread, with what it has to do at this moment. */
interface Worker {
  readonly pool: Piscina<AcceptJob, AcceptOutcome>;
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
  const pool = new Piscina<AcceptJob, AcceptOutcome>({
    filename: resolve('dist/processes/acceptWorker.js'),
    minThreads: 1,
    maxThreads: 1,
    concurrentTasksPerWorker: AT_ONCE,
    // Between requests a worker waits without standing still: its connections are still there.
    atomics: 'disabled',
    resourceLimits: { maxYoungGenerationSizeMb: NURSERY_MB },
    workerData: turns,
  });
  const worker = { pool, bytes: 0 };
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
  workers ??= [startWorker(), startWorker()];
  const [forAny, forSmall] = workers;
  return bytes > LARGE || forAny.bytes <= forSmall.bytes ? forAny : forSmall;
}

/** The worker that had a request has ended. Whether the records were kept is not known: the same again finds out. */
export class WorkerLost extends Error {}

/** The store could not be reached by the worker, or could not work. */
export class DatabaseUnavailable extends Error {}

/**
 * Keeps the records of an export request in a worker. When this returns, what it says is kept has been committed. The bytes are the
 * worker's from then on.
 *
 * @param most bytes that the body may have unpacked
 * @throws RefusedBody, MalformedRequest, StoreAway, WorkerLost; Error for anything else
 */
export async function acceptElsewhere(
  signal: Signal,
  packed: PackedBody,
  encoding: OtlpEncoding,
  most: number,
): Promise<Accepted> {
  const job = { ...packed, signal, encoding, most, maskingChanged: maskingChanges() };
  const outcome = await run(workerFor(packed.unpackedBytes), job);
  if ('kept' in outcome) return outcome.kept;
  if ('refused' in outcome) throw new RefusedBody(outcome.refused.status, outcome.refused.message);
  if ('malformed' in outcome) throw new MalformedRequest(outcome.malformed);
  if ('databaseUnavailable' in outcome) throw new DatabaseUnavailable('the database cannot be reached');
  throw new Error(outcome.failed);
}

async function run(worker: Worker, job: AcceptJob): Promise<AcceptOutcome> {
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
