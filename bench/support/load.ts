import { type ChildProcess, fork } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { simulateDay } from '../../demo/day.ts';
import type { Span, TraceId } from '../../src/core/trace/span.ts';
import { encodeTracesProtobuf } from '../../src/formats/otlp/span/encodeProtobuf.ts';
import type { SendOrder, SendReport } from './sender.ts';

export const PER_BATCH = 1000;
const HOURS = 3;
const DAY = simulateDay({ endMs: Date.now(), hours: HOURS, seed: 1 });
const ROUND = Math.floor(DAY.length / PER_BATCH);

/** Batches that one round of the simulated hours makes. */
export const BATCHES_A_ROUND = ROUND;
export const ROUND_MS = HOURS * 3_600_000;

/** The spans of a batch. The same hours again are another set of traces, so many milliseconds earlier. */
export function batchOf(number: number, backMs = 0): Span[] {
  const from = (((number % ROUND) + ROUND) % ROUND) * PER_BATCH;
  const round = Math.floor(number / ROUND) + 1;
  const back = BigInt(backMs) * 1_000_000n;
  return DAY.slice(from, from + PER_BATCH).map((span) => ({
    ...span,
    traceId: `${round.toString(16).padStart(4, '0')}${span.traceId.slice(4)}` as TraceId,
    start: span.start - back,
    end: span.end - back,
    events: span.events.map((event) => ({ ...event, time: event.time - back })),
  }));
}

export interface Sent {
  /** How long it took, the time to make the batches left out. */
  readonly seconds: number;
  /** Seconds of a processor that the sending itself took. */
  readonly ownSeconds: number;
  /** How long a batch took, for each hundred of them in turn. */
  readonly steps: readonly number[];
  readonly bytes: number;
  /** How long each request took, milliseconds. */
  readonly requestMs: number[];
}

/**
 * Sends batches over HTTP from some senders at once, each again until it is taken. A process of its own sends them, so that the making of
 * the batches, and what it leaves behind, takes nothing from the machine meanwhile.
 *
 * @param token that is sent with them; empty for none
 */
export async function sendBatches(
  url: string,
  batches: readonly number[],
  senders: number,
  make: (batch: number) => Uint8Array,
  path = '/v1/traces',
  token = '',
): Promise<Sent> {
  const sender = fork(new URL('sender.ts', import.meta.url), { execArgv: ['--import', 'tsx'] });
  const folder = mkdtempSync(join(tmpdir(), 'dusk-bench-'));
  const steps: number[] = [];
  const requestMs: number[] = [];
  let seconds = 0;
  let ownSeconds = 0;
  let bytes = 0;
  // A few batches ready at a time, so that there may be ten thousand of them.
  const AT_ONCE = 100;
  try {
    for (let from = 0; from < batches.length; from += AT_ONCE) {
      const bodies = batches.slice(from, from + AT_ONCE).map(make);
      const file = join(folder, 'bodies');
      writeFileSync(file, Buffer.concat(bodies));
      const sent = await ask(sender, { url: url + path, file, lengths: bodies.map(({ length }) => length), senders, token });
      for (const { length } of bodies) bytes += length;
      for (const ms of sent.requestMs) requestMs.push(ms);
      steps.push(sent.seconds / bodies.length);
      seconds += sent.seconds;
      ownSeconds += sent.ownSeconds;
    }
  } finally {
    sender.kill();
    rmSync(folder, { recursive: true });
  }
  return { seconds, ownSeconds, steps, bytes, requestMs };
}

function ask(sender: ChildProcess, order: SendOrder): Promise<SendReport> {
  return new Promise((resolve, reject) => {
    const ended = (code: number | null) => reject(new Error(`the sender ended with code ${code}`));
    sender.once('exit', ended);
    sender.once('message', (report: SendReport) => {
      sender.off('exit', ended);
      resolve(report);
    });
    sender.send(order);
  });
}

export const spansOf = (batch: number) => encodeTracesProtobuf(batchOf(batch));

export function print(what: string, value: string): void {
  process.stdout.write(`${what.padEnd(38)} ${value}\n`);
}
