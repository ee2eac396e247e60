import { createReadStream, createWriteStream, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import pg from 'pg';
import { from as copyFrom, to as copyTo } from 'pg-copy-streams';
import { simulateDay } from '../demo/day.ts';
import type { Span, TraceId } from '../src/core/trace/span.ts';
import { encodeTracesProtobuf } from '../src/formats/otlp/encodeProtobuf.ts';
import { build, isBuilt } from '../src/server/build.ts';
import { install } from '../tests/support/installation.ts';
import { PROTOBUF, post } from '../tests/support/sending.ts';

const PER_BATCH = 1000;
const SENDERS = 4;
const BATCHES = 300;

/**
 * Spans a second through the door (protobuf, batches of a thousand, four senders), against copying the same rows over one connection
 * into a table of the same kind with the same index, in the same PostgreSQL. Bytes kept a span, against its OTLP.
 */
export async function benchIntake(): Promise<void> {
  if (!isBuilt()) build();
  const bodies = makeBodies();
  const dusk = await install();
  const folder = mkdtempSync(join(tmpdir(), 'dusk-bench-'));
  const client = new pg.Client({ connectionString: dusk.cluster.url });
  await client.connect();
  try {
    await sendAll(dusk.url, bodies.splice(0, 10));
    const before = await totalBytes(client);
    const tenths = await sendAll(dusk.url, bodies);
    await client.query('VACUUM ANALYZE');
    const kept = (await totalBytes(client)) - before;
    const seconds = tenths.reduce((sum, it) => sum + it, 0);
    const count = bodies.length * PER_BATCH;
    const copied = await copySeconds(client, join(folder, 'rows'));
    const rate = count / seconds;
    const reference = copied.rows / copied.seconds;
    const otlp = bodies.reduce((sum, body) => sum + body.length, 0);
    print('through the door', `${rate.toFixed(0)} spans a second`);
    print('plain COPY', `${reference.toFixed(0)} spans a second`);
    print('ratio', (rate / reference).toFixed(2));
    print('last tenth to first', (tenths[0] / tenths[9]).toFixed(2));
    print(
      'bytes kept, to OTLP',
      `${(kept / count).toFixed(0)} to ${(otlp / count).toFixed(0)} a span, ${(kept / otlp).toFixed(2)}`,
    );
  } finally {
    await client.end();
    await dusk.stop();
    rmSync(folder, { recursive: true });
  }
}

function makeBodies(): Buffer[] {
  const day = simulateDay({ endMs: Date.now(), hours: 3, seed: 1 });
  return Array.from({ length: BATCHES + 10 }, (_, batch) => {
    const from = (batch * PER_BATCH) % (day.length - PER_BATCH);
    const round = Math.floor((batch * PER_BATCH) / (day.length - PER_BATCH));
    // The same day again is another set of traces.
    const again = (span: Span): Span => ({
      ...span,
      traceId: `${round.toString(16).padStart(2, '0')}${span.traceId.slice(2)}` as TraceId,
    });
    return Buffer.from(encodeTracesProtobuf(day.slice(from, from + PER_BATCH).map(again)));
  });
}

/** Seconds that each tenth of the bodies took. */
async function sendAll(url: string, bodies: readonly Buffer[]): Promise<number[]> {
  const tenths: number[] = [];
  for (let tenth = 0; tenth < 10; tenth++) {
    const part = bodies.slice((tenth * bodies.length) / 10, ((tenth + 1) * bodies.length) / 10);
    const began = performance.now();
    let next = 0;
    const sender = async () => {
      while (next < part.length) {
        const answer = await post(url, part[next++], PROTOBUF);
        if (answer.status !== 200) throw new Error(`${answer.status} ${await answer.text()}`);
        await answer.arrayBuffer();
      }
    };
    await Promise.all(Array.from({ length: SENDERS }, sender));
    tenths.push((performance.now() - began) / 1000);
  }
  return tenths;
}

async function copySeconds(client: pg.Client, file: string): Promise<{ rows: number; seconds: number }> {
  await pipeline(client.query(copyTo('COPY span TO STDOUT')), createWriteStream(file));
  await client.query('CREATE TABLE reference (LIKE span INCLUDING ALL)');
  const began = performance.now();
  await pipeline(createReadStream(file), client.query(copyFrom('COPY reference FROM STDIN')));
  const seconds = (performance.now() - began) / 1000;
  const { rows } = await client.query<{ count: string }>('SELECT count(*) FROM reference');
  return { rows: Number(rows[0].count), seconds };
}

async function totalBytes(client: pg.Client): Promise<number> {
  const { rows } = await client.query<{ bytes: string }>(
    "SELECT sum(pg_total_relation_size(relid)) AS bytes FROM pg_stat_user_tables WHERE relname <> 'reference'",
  );
  return Number(rows[0].bytes);
}

function print(what: string, value: string): void {
  process.stdout.write(`${what.padEnd(22)} ${value}\n`);
}
