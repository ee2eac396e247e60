import { resolve } from 'node:path';
import workerpool from 'workerpool';
import { FairQueue } from '../core/turns/fairQueue.ts';

/** Who waits for a job: a person before a page, or nobody. */
export type Priority = 'page' | 'background';

export interface JobOptions {
  readonly priority?: Priority;
  /** For whom a page's job is; owners take turns. */
  readonly owner?: string;
  /** Ends the job, so that the process has room for others. */
  readonly signal?: AbortSignal;
  /** What the job says of how far it is. */
  readonly onProgress?: (done: number, of: number) => void;
}

/** The pool has more to do than it can take. */
export class PoolBusy extends Error {}
/** The process that had a job has ended: out of memory, killed, or stuck. */
export class JobLost extends Error {}

/** Processes; as many as the smallest machine has processors. */
const PROCESSES = 2;
/* Each has the heap limit of the process that starts it; columns lie outside of the heap, within a bound of their own. */

/** Jobs that wait, at most, and those of one owner: there is room left for others. */
const MOST_WAITING = 200;
const MOST_WAITING_OF_ONE = 120;
/** Nobody waits longer for an answer. */
const LONGEST_MS = 120_000;

type TaskQueue = Exclude<NonNullable<NonNullable<Parameters<typeof workerpool.pool>[1]>['queueStrategy']>, string>;
type Task = Parameters<TaskQueue['push']>[0];

/** What the library hands on with a task: for whom it is; nothing for one that nobody waits for. */
interface TaskMetadata {
  readonly owner?: string;
}

function taskQueue(waiting: FairQueue<Task>): TaskQueue {
  return {
    push: (task) => {
      const { owner } = (task.options?.metadata ?? {}) as TaskMetadata;
      if (owner === undefined) waiting.pushBackground(task);
      else waiting.push({ task, owner });
    },
    pop: () => waiting.pop(),
    size: () => waiting.size,
    contains: (task) => waiting.has(task),
    clear: () => waiting.clear(),
  };
}

/** The process that serves the pages and the pages themselves are built apart, so that this module is there twice: the pool is not. */
const SHARED = Symbol.for('dusk-lantern.analysis');
const shared = globalThis as { [SHARED]?: Analysis };

interface Analysis {
  readonly pool: workerpool.Pool;
  readonly waiting: FairQueue<Task>;
  /** Jobs of pages that are worked on or wait. */
  asked: number;
}

function analysis(): Analysis {
  shared[SHARED] ??= newAnalysis();
  return shared[SHARED];
}

function newAnalysis(): Analysis {
  const waiting = new FairQueue<Task>();
  const pool = workerpool.pool(resolve('dist/processes/analysisWorker.js'), {
    workerType: 'process',
    // The others begin when they are needed, or somewhat later: a start takes as long as many a question.
    minWorkers: 1,
    maxWorkers: PROCESSES,
    maxQueueSize: MOST_WAITING,
    queueStrategy: taskQueue(waiting),
    workerTerminateTimeout: 2_000,
    forkOpts: {
      // Answers and files are long texts, which go over as they are.
      serialization: 'advanced',
      env: { ...process.env, [INSIDE]: '1' },
    },
  });
  return { pool, waiting, asked: 0 };
}

const INSIDE = 'DUSK_ANALYSIS';

/** Whether this process is one of the pool. */
export const isAnalysisProcess = process.env[INSIDE] === '1';

/** How long after the first the others begin, when nothing needs them before: what starts has enough to do. */
const OTHERS_AFTER_MS = 15_000;

/** Starts the processes, so that the first who asks need not wait for them. */
export function startAnalysis(): void {
  const { pool } = analysis();
  setTimeout(() => {
    if (shared[SHARED]?.pool !== pool) return;
    // What each process answers by itself: one that is not there yet begins for it.
    runOnEach('methods', [], { priority: 'background' }).catch(() => {});
  }, OTHERS_AFTER_MS).unref();
}

/** How many jobs are worked on and wait; `asked` are both of those that somebody waits for. */
export function analysisLoad(): Record<'working' | 'waiting' | 'asked' | 'processes', number> {
  const { pool, waiting, asked } = analysis();
  const { busyWorkers, totalWorkers } = pool.stats();
  return { working: busyWorkers, waiting: waiting.size, asked, processes: totalWorkers };
}

export async function stopAnalysis(): Promise<void> {
  const stopped = shared[SHARED];
  shared[SHARED] = undefined;
  await stopped?.pool.terminate(true, 2_000);
}

/**
 * Runs a job in another process; a job of a page goes before one that nobody waits for.
 *
 * @param name of the job, as the process registers it @param params and the result are copied as JSON
 * @throws PoolBusy, JobLost; an AbortError when the signal ends it; what the job throws, by its message
 */
export async function runJob<T>(name: string, params: readonly unknown[], options: JobOptions = {}): Promise<T> {
  const { priority = 'page', owner = '', signal, onProgress } = options;
  signal?.throwIfAborted();
  const running = start(name, params, priority === 'page' ? owner : undefined, onProgress);
  const cancel = () => void running.cancel();
  const counted = analysis();
  if (priority === 'page') counted.asked++;
  signal?.addEventListener('abort', cancel, { once: true });
  try {
    return (await running) as T;
  } catch (error) {
    signal?.throwIfAborted();
    throw readable(error);
  } finally {
    if (priority === 'page') counted.asked--;
    signal?.removeEventListener('abort', cancel);
  }
}

/** Runs a job as many times at once as there are processes: each that has nothing else to do takes one. */
export async function runOnEach(name: string, params: readonly unknown[], options: JobOptions = {}): Promise<void> {
  await Promise.all(Array.from({ length: PROCESSES }, () => runJob(name, params, options)));
}

function start(name: string, params: readonly unknown[], owner: string | undefined, onProgress: JobOptions['onProgress']) {
  const { pool, waiting } = analysis();
  if (owner !== undefined && waiting.sizeOf(owner) >= MOST_WAITING_OF_ONE)
    throw new PoolBusy('too many of your questions wait already; ask again shortly');
  try {
    return pool
      .exec(name, [...params], {
        metadata: { owner } satisfies TaskMetadata,
        on: ({ done, of }: { done: number; of: number }) => onProgress?.(done, of),
      })
      .timeout(LONGEST_MS);
  } catch (error) {
    // Thrown when the queue is full.
    throw new PoolBusy('too many questions are being worked on; ask again shortly', { cause: error });
  }
}

function readable(error: unknown): Error {
  const message = error instanceof Error ? error.message : String((error as { message?: unknown })?.message ?? error);
  if (/terminated|exited|Workerpool Worker|crash/i.test(message))
    return new JobLost('the process that worked on this has ended', { cause: error });
  if (/timed? ?out/i.test(message))
    return new JobLost(`this took longer than ${LONGEST_MS / 1000} s and was ended`, { cause: error });
  return error instanceof Error ? error : new Error(message);
}
