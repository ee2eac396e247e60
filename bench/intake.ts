import { createReadStream, createWriteStream, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import pg from 'pg';
import { from as copyFrom, to as copyTo } from 'pg-copy-streams';
import type { Span } from '../src/core/trace/span.ts';
import { readJsonRequest } from '../src/formats/otlp/json/fromJson.ts';
import { Refusals } from '../src/formats/otlp/wire/refusal.ts';
import { writeRequest } from '../src/formats/otlp/wire/request.ts';
import { build, isBuilt } from '../src/server/build.ts';
import { install } from '../tests/support/installation.ts';
import { logs } from '../tests/support/made/otlpSignals.ts';
import { batchOf, PER_BATCH, print, type Sent, sendBatches, spansOf } from './support/load.ts';

const SENDERS = 4;
/** Batches before anything is measured: what runs all the time is translated well after half a minute. */
const WARM_UP = 500;
/** Far from those that are measured: the same again would be known. */
const WARMING_FROM = 100_000;
/** So often alternating with plain COPY. */
const PARTS = 4;
/** Plain COPY is measured over this many batches. */
const COPIED = 200;

/**
 * Records a second through the door (protobuf, batches of a thousand, four senders), against plain COPY over one connection in the same
 * PostgreSQL of the same records into a table with a row for each, with the index that finding one needs; for spans also of the very rows
 * that the door wrote. Bytes kept a span, against its OTLP. Both alternate, since machines vary.
 *
 * @param batches of spans; ten thousand are ten million
 */
export async function benchIntake(batches = 300): Promise<void> {
  if (!isBuilt()) await build();
  const dusk = await install({ onDisk: true });
  const client = new pg.Client({ connectionString: dusk.cluster.url });
  await client.connect();
  try {
    await sendBatches(dusk.url, range(WARMING_FROM, WARM_UP), SENDERS, spansOf);
    const before = await totalBytes(client);
    const copied = [await copySpans(client)];
    const rates: number[] = [];
    const sent: Sent[] = [];
    for (const part of parts(batches)) {
      const it = await sendBatches(dusk.url, part, SENDERS, spansOf);
      sent.push(it);
      rates.push((part.length * PER_BATCH) / it.seconds);
      copied.push(await copySpans(client));
    }
    const sum = (of: (it: Sent) => number) => sent.reduce((total, it) => total + of(it), 0);
    const seconds = sum((it) => it.seconds);
    const bytes = sum((it) => it.bytes);
    const steps = sent.flatMap((it) => it.steps);
    const requestMs = sent.flatMap((it) => it.requestMs);
    await client.query('VACUUM ANALYZE');
    const kept = (await totalBytes(client)) - before;
    const same = await copyKept(client);
    const count = batches * PER_BATCH;
    const rate = count / seconds;
    const ratios = rates.map((it, at) => it / mean([copied[at], copied[at + 1]]));
    const whole = (list: readonly number[]) => list.map((it) => it.toFixed(0)).join(', ');
    print('spans a second through the door', `${rate.toFixed(0)} (${whole(rates)})`);
    print('COPY of a row a span, around each', whole(copied));
    print('ratio', `${mean(ratios).toFixed(2)} (${ratios.map((it) => it.toFixed(2)).join(', ')})`);
    print('COPY of the rows that the door wrote', `${same.toFixed(0)}; ratio ${(rate / same).toFixed(2)}`);
    print('processor that the sending took', `${((sum((it) => it.ownSeconds) / seconds) * 100).toFixed(0)} % of one`);
    const tenth = Math.max(1, Math.round(steps.length / 10));
    print('last tenth to first', (mean(steps.slice(0, tenth)) / mean(steps.slice(-tenth))).toFixed(2));
    print(
      'bytes kept, to OTLP',
      `${(kept / count).toFixed(0)} to ${(bytes / count).toFixed(0)} a span, ${(kept / bytes).toFixed(2)}`,
    );
    print('a request, median and longest', `${quantile(requestMs, 0.5).toFixed(0)} ms, ${Math.max(...requestMs).toFixed(0)} ms`);
    await benchLogs(dusk.url, client);
  } finally {
    await client.end();
    await dusk.stop();
  }
}

async function benchLogs(url: string, client: pg.Client): Promise<void> {
  const BATCHES = 150;
  await sendBatches(url, range(-10, 10), SENDERS, logBatch, '/v1/logs');
  const copiedBefore = await copyLogs(client);
  const { seconds, bytes } = await sendBatches(url, range(0, BATCHES), SENDERS, logBatch, '/v1/logs');
  const copiedAfter = await copyLogs(client);
  const rate = (BATCHES * PER_BATCH) / seconds;
  print('log records a second', rate.toFixed(0));
  print(
    'COPY of a row a log record',
    `${copiedBefore.toFixed(0)}, ${copiedAfter.toFixed(0)}; ratio ${(rate / ((copiedBefore + copiedAfter) / 2)).toFixed(2)}`,
  );
  print('OTLP of a log record', `${(bytes / (BATCHES * PER_BATCH)).toFixed(0)} bytes`);
}

const TEMPLATES = [
  (n: number) => `hold ${n} placed for ${n % 9} cars on deck ${n % 5}`,
  (n: number) => `layout solved in ${(n % 700) / 10} ms with ${n % 40} lanes tried`,
  (n: number) => `no room on lane ${n % 30} of sailing OR-${1000 + (n % 900)}, trying the next`,
  (n: number) => `manifest ${n} written, ${n % 400} guests`,
];

function lines(batch: number) {
  const atMs = Date.now();
  return Array.from({ length: PER_BATCH }, (_, at) => {
    const n = batch * PER_BATCH + at + 100_000;
    return {
      atMs: atMs + (at % 5000),
      text: TEMPLATES[at % TEMPLATES.length](n),
      traceId: (Math.floor(n / 6) + 2 ** 40).toString(16).padStart(32, '1'),
    };
  });
}

function logBatch(batch: number): Uint8Array {
  return writeRequest(readJsonRequest(JSON.stringify(logs('holds', lines(batch))), 'logs', new Refusals()));
}

const range = (from: number, count: number) => Array.from({ length: count }, (_, at) => from + at);
/** The numbers of batches, in parts of about the same size. */
const parts = (batches: number) =>
  Array.from({ length: PARTS }, (_, part) => {
    const from = Math.round((part * batches) / PARTS);
    return range(from, Math.round(((part + 1) * batches) / PARTS) - from);
  });
const mean = (of: readonly number[]) => of.reduce((total, it) => total + it, 0) / of.length;
const quantile = (of: readonly number[], share: number) => [...of].sort((a, b) => a - b)[Math.floor(share * (of.length - 1))];

/** Spans a second of a plain COPY with a row a span. */
function copySpans(client: pg.Client): Promise<number> {
  const columns = `trace_id bytea, span_id bytea, parent_span_id bytea, start_ns bigint, duration_ns bigint, name text, service text,
    kind smallint, status smallint, attributes jsonb, events jsonb, PRIMARY KEY (trace_id, span_id)`;
  return copyLines(client, columns, (batch) => batchOf(batch).map(spanLine));
}

function copyLogs(client: pg.Client): Promise<number> {
  const columns = 'time_ns bigint, service text, severity smallint, trace_id bytea, span_id bytea, body text, attributes jsonb';
  const lineOf = ({ atMs, text, traceId }: ReturnType<typeof lines>[number]) =>
    `${[`${atMs}000000`, 'holds', 9, `\\\\x${traceId}`, '\\\\xb7ad6b7169203331', text, '{}'].join('\t')}\n`;
  return copyLines(
    client,
    columns,
    (batch) => lines(batch).map(lineOf),
    'CREATE INDEX ON reference (trace_id); CREATE INDEX ON reference (time_ns)',
  );
}

/** Records a second of a plain COPY into an empty table. */
async function copyLines(client: pg.Client, columns: string, make: (batch: number) => string[], indexes = ''): Promise<number> {
  await client.query(`DROP TABLE IF EXISTS reference; CREATE TABLE reference (${columns}); ${indexes}`);
  let seconds = 0;
  for (let batch = 0; batch < COPIED; batch += 20) {
    const text = range(batch, 20).map((it) => make(it).join(''));
    const began = performance.now();
    await pipeline(Readable.from(text), client.query(copyFrom('COPY reference FROM STDIN')));
    seconds += (performance.now() - began) / 1000;
  }
  await client.query('DROP TABLE reference');
  return (COPIED * PER_BATCH) / seconds;
}

function spanLine(span: Span): string {
  const json = (value: unknown) =>
    JSON.stringify(value, (_, item) => (typeof item === 'bigint' ? String(item) : item)).replaceAll('\\', '\\\\');
  return `${[
    `\\\\x${span.traceId}`,
    `\\\\x${span.spanId}`,
    span.parentSpanId ? `\\\\x${span.parentSpanId}` : '\\N',
    span.start,
    span.end - span.start,
    span.name,
    span.service,
    1,
    span.status === 'error' ? 2 : 0,
    json(span.attributes),
    span.events.length > 0 ? json(span.events) : '\\N',
  ].join('\t')}\n`;
}

/** Spans a second of copying what was kept, as it lies. */
async function copyKept(client: pg.Client): Promise<number> {
  const folder = mkdtempSync(join(tmpdir(), 'dusk-bench-'));
  let seconds = 0;
  for (const table of ['span_block', 'trace', 'operation_minute', 'call_minute']) {
    const file = join(folder, table);
    await pipeline(client.query(copyTo(`COPY (SELECT * FROM ${table}) TO STDOUT (FORMAT binary)`)), createWriteStream(file));
    await client.query(`CREATE TABLE same_${table} (LIKE ${table} INCLUDING ALL)`);
    const began = performance.now();
    await pipeline(createReadStream(file), client.query(copyFrom(`COPY same_${table} FROM STDIN (FORMAT binary)`)));
    seconds += (performance.now() - began) / 1000;
    await client.query(`DROP TABLE same_${table}`);
  }
  rmSync(folder, { recursive: true });
  const { rows } = await client.query<{ count: string }>('SELECT sum(records) AS count FROM span_block');
  return Number(rows[0].count) / seconds;
}

async function totalBytes(client: pg.Client): Promise<number> {
  const { rows } = await client.query<{ bytes: string }>(
    'SELECT sum(pg_total_relation_size(relid)) AS bytes FROM pg_stat_user_tables',
  );
  return Number(rows[0].bytes);
}
