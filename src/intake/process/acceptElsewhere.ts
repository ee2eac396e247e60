import { type ChildProcess, fork } from 'node:child_process';
import { resolve } from 'node:path';
import type { OtlpEncoding } from '../../formats/otlp/wire/answers.ts';
import type { Signal } from '../../formats/otlp/wire/messages.ts';
import { MalformedRequest } from '../../formats/otlp/wire/refusal.ts';
import { Supervised } from '../../server/life/supervise.ts';
import type { Accepted } from '../accept.ts';
import { maskingChanges } from '../masking.ts';
import { type PackedBody, RefusedBody } from '../requestBody.ts';
import type { AcceptOutcome } from './acceptWorker.ts';
import { DatabaseUnavailable, TakesTooLong, WorkerLost } from './failures.ts';
import type { IntakeReply, IntakeRequest } from './intakeProcess.ts';

/** The process of intake, and who waits for its answers. */
interface Intake {
  readonly child: ChildProcess;
  readonly ended: Promise<void>;
  readonly waiting: Map<number, { readonly resolve: (outcome: AcceptOutcome) => void; readonly reject: (error: Error) => void }>;
}

/** The process that serves the pages and the pages themselves are built apart, so that this module is there twice: the process is not. */
const SHARED = Symbol.for('dusk-lantern.intake');
const shared = globalThis as { [SHARED]?: { readonly intake: Supervised<Intake>; isEnding: boolean } };

/** Starts the process, so that the first who sends need not wait for it. */
export async function startIntake(): Promise<void> {
  const state = { intake: undefined as unknown as Supervised<Intake>, isEnding: false };
  state.intake = new Supervised({
    what: 'The process of intake',
    start,
    say: (text) => console.error(text),
    isEnding: () => state.isEnding,
  });
  shared[SHARED] = state;
  await state.intake.begin();
}

export function stopIntake(): void {
  const state = shared[SHARED];
  if (!state) return;
  state.isEnding = true;
  if (state.intake.current?.child.connected) state.intake.current.child.disconnect();
}

/** Whether what is sent can be taken in now, and how often the process had to be started again. */
export function intakeState(): { readonly isUp: boolean; readonly restarts: number } {
  const intake = shared[SHARED]?.intake;
  return { isUp: intake?.current !== undefined, restarts: intake?.restarts ?? 0 };
}

function start(): Promise<Intake> {
  const child = fork(resolve('dist/processes/intakeProcess.js'), {
    // Bodies go over as bytes.
    serialization: 'advanced',
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
  const waiting: Intake['waiting'] = new Map();
  const ended = new Promise<void>((end) => {
    child.on('exit', () => {
      for (const { reject } of waiting.values()) reject(new WorkerLost('the work on this was broken off'));
      waiting.clear();
      end();
    });
  });
  return new Promise((ready, fail) => {
    child.on('message', (reply: IntakeReply) => {
      if ('ready' in reply) {
        ready({ child, ended, waiting });
        return;
      }
      const who = waiting.get(reply.id);
      waiting.delete(reply.id);
      if ('lost' in reply) who?.reject(new WorkerLost(reply.lost));
      else who?.resolve(reply.outcome);
    });
    child.on('error', fail);
    child.on('exit', (code, signal) => fail(new Error(`it ended with ${signal ?? `code ${code}`} before it was ready`)));
  });
}

let lastId = 0;

/**
 * Keeps the records of an export request in another process. When this returns, what it says is kept has been committed.
 *
 * @param most bytes that the body may have unpacked
 * @param environment that all of it is of; empty for what it says itself
 * @throws RefusedBody, MalformedRequest, DatabaseUnavailable, WorkerLost, TakesTooLong; Error for anything else
 */
export async function acceptElsewhere(
  signal: Signal,
  packed: PackedBody,
  encoding: OtlpEncoding,
  most: number,
  environment: string,
): Promise<Accepted> {
  const job = { ...packed, signal, encoding, most, maskingChanged: maskingChanges(), environment };
  const intake = shared[SHARED]?.intake.current;
  if (!intake) throw new WorkerLost('intake is starting');
  const id = ++lastId;
  const outcome = await new Promise<AcceptOutcome>((resolve, reject) => {
    intake.waiting.set(id, { resolve, reject });
    intake.child.send({ id, job } satisfies IntakeRequest, (error) => {
      if (!error) return;
      intake.waiting.delete(id);
      reject(new WorkerLost('the work on this was broken off'));
    });
  });
  if ('kept' in outcome) return outcome.kept;
  if ('refused' in outcome) throw new RefusedBody(outcome.refused.status, outcome.refused.message);
  if ('malformed' in outcome) throw new MalformedRequest(outcome.malformed);
  if ('databaseUnavailable' in outcome) throw new DatabaseUnavailable('the database cannot be reached');
  if ('slowPattern' in outcome) throw new TakesTooLong(outcome.slowPattern);
  throw new Error(outcome.failed);
}
