import workerpool from 'workerpool';

/** What a job is given beside its parameters. */
export interface JobContext {
  /** Aborted when nobody waits for the result any more. */
  readonly signal: AbortSignal;
  readonly progress: (done: number, of: number) => void;
}

// biome-ignore lint/suspicious/noExplicitAny: the parameters of a job are its own
type Job = (context: JobContext, ...params: any[]) => Promise<unknown>;

/** Progress is reported no more often than this. */
const PROGRESS_MS = 200;
/** A job that does not end within this time after it was cancelled takes the process with it. */
const CANCELLED_MS = 3_000;

/** Offers jobs to the process that started this one. One runs at a time. */
export function serveJobs(jobs: Readonly<Record<string, Job>>): void {
  const methods = Object.fromEntries(
    Object.entries(jobs).map(([name, job]) => [
      name,
      async (...params: unknown[]) => {
        const controller = new AbortController();
        let reported = 0;
        const progress = (done: number, of: number) => {
          const now = Date.now();
          if (now - reported < PROGRESS_MS) return;
          reported = now;
          workerpool.workerEmit({ done, of });
        };
        const work = job({ signal: controller.signal, progress }, ...params);
        const settled = work.then(
          () => {},
          () => {},
        );
        worker(methods[name]).addAbortListener(async () => {
          controller.abort();
          await settled;
        });
        return work;
      },
    ]),
  );
  workerpool.worker(methods, { abortListenerTimeout: CANCELLED_MS });
}

/** What the library hangs on a registered method. */
function worker(method: unknown): { addAbortListener(listener: () => Promise<void>): void } {
  return (method as { worker: ReturnType<typeof worker> }).worker;
}
