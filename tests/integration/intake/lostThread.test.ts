import { setTimeout as pause } from 'node:timers/promises';
import type { Worker } from 'node:worker_threads';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { Attributes, TraceId } from '../../../src/core/trace/span.ts';
import { encodeTracesProtobuf } from '../../../src/formats/otlp/span/encodeProtobuf.ts';
import type { Accepted } from '../../../src/intake/accept.ts';
import { acceptInThread } from '../../../src/intake/process/acceptThreads.ts';
import { WorkerLost } from '../../../src/intake/process/failures.ts';
import { closeConnections, connections } from '../../../src/store/database/connection.ts';
import { spanCount } from '../../../src/store/traces/spanCount.ts';
import { type Installation, install } from '../../support/installation.ts';
import { makeSpan } from '../../support/made/traceMaker.ts';
import { PROTOBUF } from '../../support/sending.ts';

/*
 * Threads of intake that end in the middle of their work, whatever that is at the moment.
 */

const BODIES = 240;
const SPANS = 50;
const SENDERS = 8;
const LOSSES = 6;

let dusk: Installation;
/** Threads that were started here, in their order. */
const threads: Worker[] = [];
const note = (thread: Worker) => threads.push(thread);

beforeAll(async () => {
  process.on('worker', note);
  dusk = await install();
  process.env.DATABASE_URL = dusk.cluster.url;
});
afterAll(async () => {
  process.off('worker', note);
  await Promise.all(threads.map((thread) => thread.terminate()));
  await closeConnections();
  await dusk.stop();
});

const start = BigInt(Date.now()) * 1_000_000n;
/** A root with its children, one trace a body; every second body has a large attribute in each span, so that it takes longer. */
const bodyOf = (number: number) =>
  encodeTracesProtobuf(
    Array.from({ length: SPANS }, (_, id) => {
      const attributes: Attributes = number % 2 === 0 ? { note: `${id} `.repeat(4_000) } : {};
      const span = makeSpan({ id, parent: id === 0 ? undefined : 0, kind: 'server', from: 0, to: 1_000_000, attributes });
      return { ...span, traceId: (number + 1).toString(16).padStart(32, '0') as TraceId, start, end: start + 1_000_000n };
    }),
  );

/** Given to a thread, the bytes are its own: each time they are made anew. */
async function send(number: number): Promise<Accepted> {
  const part = new Uint8Array(bodyOf(number));
  const packed = { parts: [part], isGzip: false, unpackedBytes: part.length };
  const outcome = await acceptInThread({
    ...packed,
    signal: 'traces',
    encoding: PROTOBUF,
    most: 2 ** 26,
    maskingChanged: 0,
    environment: '',
  });
  if ('kept' in outcome) return outcome.kept;
  throw new Error(JSON.stringify(outcome));
}

it('lose nothing that was acknowledged and keep nothing twice, and others take their place', async () => {
  let next = 0;
  let lost = 0;
  let repeated = 0;
  const sender = async () => {
    while (next < BODIES) {
      const number = next++;
      for (;;) {
        const kept = await send(number).catch((error: unknown) => error);
        if (kept instanceof WorkerLost) {
          lost++;
          continue;
        }
        if (kept instanceof Error) throw kept;
        if ((kept as Accepted).repeated) repeated++;
        break;
      }
    }
  };
  const sending = Promise.all(Array.from({ length: SENDERS }, sender));
  let ended = 0;
  const ending = (async () => {
    while (ended < LOSSES) {
      await pause(40 + 37 * ended);
      const thread = threads.at(-1 - (ended % 2));
      if (thread) {
        await thread.terminate();
        ended++;
      }
    }
  })();
  await Promise.all([sending, ending]);
  expect(lost).toBeGreaterThan(0);
  // One whose thread ended between the commit and the answer finds out by sending the same again.
  expect(repeated).toBeLessThanOrEqual(lost);
  expect(await spanCount()).toBe(BODIES * SPANS);
  const { rows } = await connections().query(
    `SELECT (SELECT sum(calls)::int FROM operation_minute WHERE key_id > 0) AS calls,
      (SELECT sum(calls)::int FROM operation_minute WHERE key_id = 0) AS requests,
      (SELECT sum(span_count)::int FROM trace) AS "spans",
      (SELECT count(*)::int FROM trace) AS traces`,
  );
  expect(rows).toEqual([{ calls: BODIES * SPANS, requests: BODIES, spans: BODIES * SPANS, traces: BODIES }]);
});

it('are replaced when they end with nothing to do, too', async () => {
  const before = threads.length;
  for (const thread of threads.slice(-2)) await thread.terminate();
  const answers = await Promise.all([BODIES, BODIES + 1, BODIES + 2].map((number) => send(number).catch(() => send(number))));
  expect(answers.map(({ accepted }) => accepted)).toEqual([SPANS, SPANS, SPANS]);
  expect(threads.length).toBeGreaterThan(before);
});
