import { resolve } from 'node:path';
import workerpool from 'workerpool';

/** Who waits for a job: a person before a page, or nobody. */
export type Priority = 'page' | 'background';

export interface JobOptions {
  readonly priority?: Priority;
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

/** Jobs that wait, at most. */
const MOST_WAITING = 200;
/** Nobody waits longer for an answer. */
const LONGEST_MS = 120_000;

type TaskQueue = Exclude<NonNullable<NonNullable<Parameters<typeof workerpool.pool>[1]>['queueStrategy']>, string>;
type Task = Parameters<TaskQueue['push']>[0];

/** Jobs in the order in which they came, those that a person waits for first. */
function priorityQueue(): TaskQueue {
  const page: Task[] = [];
  const background: Task[] = [];
  const listOf = (task: Task) => (task.options?.metadata === 'background' ? background : page);
  return {
    push: (task) => void listOf(task).push(task),
    pop: () => page.shift() ?? background.shift(),
    size: () => page.length + background.length,
    contains: (task) => listOf(task).includes(task),
    clear: () => {
      page.length = 0;
      background.length = 0;
    },
  };
}

/** The process that serves the pages and the pages themselves are built apart, so that this module is there twice: the pool is not. */
const SHARED = Symbol.for('dusk-lantern.analysis');
const shared = globalThis as { [SHARED]?: workerpool.Pool };

function processes(): workerpool.Pool {
  shared[SHARED] ??= workerpool.pool(resolve('dist/processes/analysisWorker.js'), {
    workerType: 'process',
    minWorkers: PROCESSES,
    maxWorkers: PROCESSES,
    maxQueueSize: MOST_WAITING,
    queueStrategy: priorityQueue(),
    workerTerminateTimeout: 2_000,
    forkOpts: {
      env: { ...process.env, [INSIDE]: '1' },
    },
  });
  return shared[SHARED];
}

const INSIDE = 'DUSK_ANALYSIS';

/** Whether this process is one of the pool. */
export const isAnalysisProcess = process.env[INSIDE] === '1';

/** Starts the processes, so that the first who asks need not wait for them. */
export function startAnalysis(): void {
  processes();
}

export async function stopAnalysis(): Promise<void> {
  const stopped = shared[SHARED];
  shared[SHARED] = undefined;
  await stopped?.terminate(true, 2_000);
}

/**
 * Runs a job in another process; a job of a page goes before one that nobody waits for.
 *
 * @param name of the job, as the process registers it @param params and the result are copied as JSON
 * @throws PoolBusy, JobLost; an AbortError when the signal ends it; what the job throws, by its message
 */
export async function runJob<T>(name: string, params: readonly unknown[], options: JobOptions = {}): Promise<T> {
  const { priority = 'page', signal, onProgress } = options;
  signal?.throwIfAborted();
  const running = start(name, params, priority, onProgress);
  const cancel = () => void running.cancel();
  signal?.addEventListener('abort', cancel, { once: true });
  try {
    return (await running) as T;
  } catch (error) {
    signal?.throwIfAborted();
    throw readable(error);
  } finally {
    signal?.removeEventListener('abort', cancel);
  }
}

function start(name: string, params: readonly unknown[], priority: Priority, onProgress: JobOptions['onProgress']) {
  try {
    return processes()
      .exec(name, [...params], {
        metadata: priority,
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
