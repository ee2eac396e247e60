import pg from 'pg';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import type { Span } from '../../../src/core/trace/span.ts';
import { encodeTracesProtobuf } from '../../../src/formats/otlp/span/encodeProtobuf.ts';
import { type Installation, install, until } from '../../support/installation.ts';
import { makeSpans } from '../../support/made/traceMaker.ts';
import { getJson, PROTOBUF, post } from '../../support/sending.ts';

const SENDERS = 4;
const BATCHES = 60;
const PER_BATCH = 200;

let dusk: Installation;
beforeEach(async () => {
  dusk = await install();
});
afterEach(() => dusk.stop());

/** A batch of ten traces of twenty spans, that no other batch has. */
function batch(number: number): Span[] {
  return Array.from({ length: PER_BATCH / 20 }, (_, at) => {
    const traceId = (number * 100 + at + 1).toString(16).padStart(32, '0');
    const sketches = Array.from({ length: 20 }, (_, id) => ({ id, parent: id === 0 ? undefined : 0, from: id, to: 100 - id }));
    return makeSpans(...sketches).map((span) => ({ ...span, traceId: traceId as Span['traceId'] }));
  }).flat();
}

interface Outcome {
  acknowledged: number;
  refused: number;
}

/** Sends all batches from several senders at once, each again until it is acknowledged; counts the answers. */
async function sendAll(outcome: Outcome, onProgress: (acknowledged: number) => void): Promise<void> {
  let next = 0;
  const sender = async () => {
    for (let number = next++; number < BATCHES; number = next++) {
      const body = encodeTracesProtobuf(batch(number));
      await until(
        async () => {
          const answer = await post(dusk.url, body, PROTOBUF).catch(() => undefined);
          if (answer?.status !== 200) {
            outcome.refused++;
            if (answer) expect([answer.status, answer.headers.get('retry-after')]).toEqual([503, '2']);
            return false;
          }
          outcome.acknowledged++;
          onProgress(outcome.acknowledged);
          return true;
        },
        (isDone) => isDone,
        60,
      );
    }
  };
  await Promise.all(Array.from({ length: SENDERS }, sender));
}

async function expectAllOnce(): Promise<void> {
  const from = '2026-05-02T00:00:00Z';
  const { operations } = await getJson(dusk.url, `/api/operations?from=${from}&to=2026-05-03T00:00:00Z`);
  expect(operations.reduce((sum: number, it: { calls: number }) => sum + it.calls, 0)).toBe(BATCHES * PER_BATCH);
  expect((await getJson(dusk.url, '/api/health')).spans).toBe(BATCHES * PER_BATCH);
  const { total, traces } = await getJson(dusk.url, '/api/traces?limit=1000');
  expect(total).toBe(BATCHES * (PER_BATCH / 20));
  for (const { spanCount } of traces) expect(spanCount).toBe(20);
  for (const { traceId } of traces.slice(0, 20))
    expect((await getJson(dusk.url, `/api/traces/${traceId}`)).spans).toHaveLength(20);
}

describe('while spans come in', () => {
  it.each([
    [
      'the application',
      () => process.kill(dusk.application.pid, 'SIGKILL'),
      async () => dusk.application.ended.then(() => dusk.startApplication()),
    ],
    [
      'PostgreSQL',
      () => process.kill(dusk.cluster.pid, 'SIGKILL'),
      async () => dusk.cluster.ended.then(() => dusk.startCluster()),
    ],
  ])('%s is killed: what was acknowledged is there once, what was not is taken when it comes again', async (_, kill, restart) => {
    const outcome: Outcome = { acknowledged: 0, refused: 0 };
    let restarted: Promise<void> | undefined;
    await sendAll(outcome, (acknowledged) => {
      if (acknowledged < BATCHES / 3 || restarted) return;
      kill();
      restarted = restart();
    });
    await restarted;
    expect(outcome.acknowledged).toBe(BATCHES);
    expect(outcome.refused).toBeGreaterThan(0);
    await expectAllOnce();
  });
});

describe('a PostgreSQL that was killed', () => {
  it('is started again though one of its sessions still works on, which holds its memory', async () => {
    const client = new pg.Client({ connectionString: dusk.cluster.url });
    client.on('error', () => {});
    await client.connect();
    const busy = `DO $$ DECLARE till timestamptz := clock_timestamp() + '3 s'; BEGIN WHILE clock_timestamp() < till LOOP END LOOP; END $$`;
    const work = client.query(busy).catch(() => {});
    process.kill(dusk.cluster.pid, 'SIGKILL');
    await dusk.cluster.ended;
    await dusk.startCluster();
    await work;
    await client.end().catch(() => {});
    expect(dusk.databaseLog()).toMatch(/pre-existing shared memory block/);
    const body = encodeTracesProtobuf(batch(0));
    await until(
      () => post(dusk.url, body, PROTOBUF),
      ({ status }) => status === 200,
    );
  });
});

describe('while PostgreSQL is away', () => {
  it('refuses so that senders come again, answers that the store is away, and goes on when it is back', async () => {
    const body = encodeTracesProtobuf(batch(0));
    await dusk.cluster.stop();
    const answer = await post(dusk.url, body, PROTOBUF);
    expect([answer.status, answer.headers.get('retry-after'), answer.headers.get('content-type')]).toEqual([503, '2', PROTOBUF]);
    const health = await fetch(`${dusk.url}/api/health`);
    expect(health.status).toBe(503);
    expect(await health.json()).toMatchObject({
      status: 'database unavailable',
      version: '0.1.0',
      database: 'down',
      spans: null,
    });
    expect((await fetch(`${dusk.url}/api/traces`)).status).toBe(503);
    expect((await fetch(`${dusk.url}/traces`)).status).toBe(200);
    await dusk.startCluster();
    expect((await post(dusk.url, body, PROTOBUF)).status).toBe(200);
    expect((await getJson(dusk.url, '/api/health')).spans).toBe(PER_BATCH);
  });
});
