import { Agent, request } from 'node:http';
import { simulateDay } from '../demo/day.ts';
import type { Span, TraceId } from '../src/core/trace/span.ts';
import { encodeTracesProtobuf } from '../src/formats/otlp/encodeProtobuf.ts';
import { PROTOBUF } from '../tests/support/sending.ts';

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
  /** The same for a batch, for each hundred of them in turn. */
  readonly steps: readonly number[];
  readonly bytes: number;
  /** How long each request took, milliseconds. */
  readonly requestMs: number[];
}

/** Sends batches over HTTP from some senders at once, each again until it is taken. */
export async function sendBatches(
  url: string,
  batches: readonly number[],
  senders: number,
  make: (batch: number) => Uint8Array,
  path = '/v1/traces',
): Promise<Sent> {
  const steps: number[] = [];
  let seconds = 0;
  const requestMs: number[] = [];
  let bytes = 0;
  // A few batches ready at a time, so that there may be ten thousand of them.
  const AT_ONCE = 100;
  for (let from = 0; from < batches.length; from += AT_ONCE) {
    const bodies = batches.slice(from, from + AT_ONCE).map((batch) => Buffer.from(make(batch)));
    const began = performance.now();
    let next = 0;
    const sender = async () => {
      while (next < bodies.length) {
        const body = bodies[next++];
        bytes += body.length;
        await sendOne(url, body, path, requestMs);
      }
    };
    await Promise.all(Array.from({ length: senders }, sender));
    steps.push((performance.now() - began) / 1000 / bodies.length);
    seconds += (performance.now() - began) / 1000;
  }
  return { seconds, steps, bytes, requestMs };
}

async function sendOne(url: string, body: Buffer, path: string, requestMs: number[]): Promise<void> {
  for (;;) {
    const began = performance.now();
    const status = await post(url + path, body);
    requestMs.push(performance.now() - began);
    if (status === 200) return;
    if (status !== 503) throw new Error(`the door answered ${status}`);
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
}

/** Connections stay open, as those of senders do. */
const AGENT = new Agent({ keepAlive: true });

/** Sends a body at the least cost to the machine, which both ends share here. @returns the status of the answer, when all of it came */
function post(url: string, body: Buffer): Promise<number> {
  return new Promise((resolve, reject) => {
    const headers = { 'content-type': PROTOBUF, 'content-length': body.length };
    const sent = request(url, { method: 'POST', agent: AGENT, headers }, (answer) => {
      answer.on('end', () => resolve(answer.statusCode ?? 0)).on('error', reject);
      answer.resume();
    });
    sent.on('error', reject);
    sent.end(body);
  });
}

export const spansOf = (batch: number) => encodeTracesProtobuf(batchOf(batch));

export function print(what: string, value: string): void {
  process.stdout.write(`${what.padEnd(38)} ${value}\n`);
}
