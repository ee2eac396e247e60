import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { eq } from 'drizzle-orm';
import type pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { SPAN_STATUSES, type Span } from '../core/trace/span.ts';
import { type Database, inTransaction, sqlState } from './connection.ts';
import { internOperations, internReporters } from './dictionaries.ts';
import { intakeBody } from './schema.ts';
import { upsertTraces } from './upsertTraces.ts';

/** The spans of one request and what is to be answered to it. */
export interface SpanBatch {
  /** Hex of a hash of the request's body: a body is kept once, however often it comes. */
  readonly bodyHash: string;
  readonly spans: readonly Span[];
  readonly rejected: number;
  readonly message: string;
}

export interface Kept {
  readonly accepted: number;
  readonly rejected: number;
  readonly message: string;
}

interface SpanRow {
  readonly span: Span;
  readonly operationId: number;
  readonly reporterId: number;
}

const UNIQUE_VIOLATION = '23505';
const LOST_RACE = /^40/;
const MOST_TRIES = 4;

/**
 * Keeps a batch, wholly or not at all: its spans, the summaries of their traces and the body's hash, in one transaction that is
 * committed when this returns. A span that is already there (same trace and span id) stays as it is and is not counted again.
 */
export async function writeSpans(batch: SpanBatch): Promise<Kept> {
  const rows = await withIds(withoutRepeats(batch.spans));
  let mayRepeat = false;
  for (let attempt = 1; ; attempt++) {
    try {
      return await inTransaction((tx, client) => write(tx, client, batch, rows, mayRepeat));
    } catch (error) {
      const state = sqlState(error) ?? '';
      if (attempt === MOST_TRIES || (state !== UNIQUE_VIOLATION && !LOST_RACE.test(state))) throw error;
      // Copying straight into the table is fastest and right for all but repeated spans, which then take the way round.
      if (state === UNIQUE_VIOLATION) mayRepeat = true;
    }
  }
}

async function write(tx: Database, client: pg.PoolClient, batch: SpanBatch, rows: SpanRow[], mayRepeat: boolean): Promise<Kept> {
  const answer = { accepted: batch.spans.length, rejected: batch.rejected, message: batch.message };
  const added = await tx
    .insert(intakeBody)
    .values({ hash: batch.bodyHash, ...answer })
    .onConflictDoNothing()
    .returning();
  if (added.length === 0) {
    const [before] = await tx.select().from(intakeBody).where(eq(intakeBody.hash, batch.bodyHash));
    return before;
  }
  const kept = mayRepeat ? await copyNew(client, rows) : await copyAll(client, rows, 'span');
  await upsertTraces(client, kept);
  return answer;
}

function withoutRepeats(spans: readonly Span[]): Span[] {
  const byKey = new Map<string, Span>();
  for (const span of spans) {
    const key = span.traceId + span.spanId;
    if (!byKey.has(key)) byKey.set(key, span);
  }
  return [...byKey.values()];
}

async function withIds(spans: Span[]): Promise<SpanRow[]> {
  const operationIds = await internOperations(spans);
  const reporterIds = await internReporters(spans);
  return spans.map((span, at) => ({ span, operationId: operationIds[at], reporterId: reporterIds[at] }));
}

const COLUMNS =
  'trace_id, span_id, parent_span_id, start_ns, duration_ns, operation_id, reporter_id, status, status_message, trace_state, attributes, events, links';

async function copyAll(client: pg.PoolClient, rows: SpanRow[], table: 'span' | 'arrived'): Promise<SpanRow[]> {
  if (rows.length > 0)
    await pipeline(Readable.from(copyText(rows)), client.query(copyFrom(`COPY ${table} (${COLUMNS}) FROM STDIN`)));
  return rows;
}

async function copyNew(client: pg.PoolClient, rows: SpanRow[]): Promise<SpanRow[]> {
  await client.query('CREATE TEMPORARY TABLE arrived (LIKE span) ON COMMIT DROP');
  await copyAll(client, rows, 'arrived');
  const { rows: added } = await client.query<{ key: string }>(
    `INSERT INTO span (${COLUMNS}) SELECT ${COLUMNS} FROM arrived ORDER BY trace_id, span_id ON CONFLICT DO NOTHING
     RETURNING encode(trace_id || span_id, 'hex') AS key`,
  );
  const keys = new Set(added.map((row) => row.key));
  return rows.filter(({ span }) => keys.has(span.traceId + span.spanId));
}

/** PostgreSQL's COPY text format, some rows at a time. */
function* copyText(rows: readonly SpanRow[]): Generator<string> {
  const CHUNK = 200;
  for (let from = 0; from < rows.length; from += CHUNK)
    yield rows
      .slice(from, from + CHUNK)
      .map(copyLine)
      .join('');
}

function copyLine({ span, operationId, reporterId }: SpanRow): string {
  return `${[
    `\\\\x${span.traceId}`,
    `\\\\x${span.spanId}`,
    span.parentSpanId ? `\\\\x${span.parentSpanId}` : '\\N',
    span.start,
    span.end - span.start,
    operationId,
    reporterId,
    SPAN_STATUSES.indexOf(span.status),
    escaped(span.statusMessage),
    escaped(span.traceState),
    escaped(JSON.stringify(span.attributes)),
    span.events.length > 0 ? escaped(jsonWithTimes(span.events)) : '\\N',
    span.links.length > 0 ? escaped(JSON.stringify(span.links)) : '\\N',
  ].join('\t')}\n`;
}

/** Epoch nanoseconds do not fit a JSON number: they are written as text. */
function jsonWithTimes(value: unknown): string {
  return JSON.stringify(value, (_, item) => (typeof item === 'bigint' ? item.toString() : item));
}

const ESCAPES: Record<string, string> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' };

function escaped(text: string): string {
  return /[\\\t\n\r]/.test(text) ? text.replace(/[\\\t\n\r]/g, (char) => ESCAPES[char]) : text;
}
