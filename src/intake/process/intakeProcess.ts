import { acceptInThread } from './acceptThreads.ts';
import type { AcceptJob, AcceptOutcome } from './acceptWorker.ts';
import { WorkerLost } from './failures.ts';

/*
 * The process that reads and keeps what senders send, in threads of its own: what strangers send is never opened where pages are answered,
 * and whatever it does here, it does here.
 */

/** A request on its way to this process. */
export interface IntakeRequest {
  readonly id: number;
  readonly job: AcceptJob;
}

/** What this process says: that it is ready, or what came of a request. */
export type IntakeReply =
  | { readonly ready: true }
  | { readonly id: number; readonly outcome: AcceptOutcome }
  | { readonly id: number; readonly lost: string };

const reply = (it: IntakeReply) => process.connected && process.send?.(it);

async function answer({ id, job }: IntakeRequest): Promise<void> {
  // What came through the channel lies in memory that others use too: a thread is given its own.
  const parts = [Uint8Array.from(Buffer.concat(job.parts))];
  try {
    reply({ id, outcome: await acceptInThread({ ...job, parts }) });
  } catch (error) {
    if (error instanceof WorkerLost) reply({ id, lost: error.message });
    else reply({ id, outcome: { failed: (error as Error).stack ?? String(error) } });
  }
}

process.on('message', (it: IntakeRequest) => void answer(it));
process.on('disconnect', () => process.exit(0));
// The interrupt of a terminal reaches this process too; the parent decides what it means.
process.on('SIGINT', () => {});
reply({ ready: true });
