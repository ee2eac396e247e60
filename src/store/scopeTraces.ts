import { inArray, sql } from 'drizzle-orm';
import type { Span, TraceId } from '../core/trace/span.ts';
import { outlineSpan } from '../formats/otlp/spanOutline.ts';
import { database } from './connection.ts';
import { readTraces } from './readTrace.ts';
import { trace } from './schema/index.ts';
import { type TraceFilter, traceCondition } from './traceFilter.ts';

/** Traces of an entry, and how many requests came by it. */
export interface EntrySample {
  readonly operationId: number;
  readonly requests: number;
  readonly failing: number;
  readonly traces: readonly (readonly Span[])[];
}

interface Row {
  readonly operationId: number;
  readonly requests: number;
  readonly failing: number;
  readonly day: number;
  readonly traceId: string;
  readonly blocks: number[];
}

/**
 * A fair sample of the requests of a scope by their entry: so many traces of each of the entries that most come by. Ids are random: the
 * first by id are a fair sample, and the same one each time.
 */
export async function tracesByEntry(
  filter: TraceFilter,
  mostEach: number,
  mostEntries: number,
  onlyFailed = false,
): Promise<EntrySample[]> {
  const { rows } = await database().execute(sql`
    WITH chosen AS (SELECT ${trace.day}, ${trace.traceId}, ${trace.rootOperationId}, ${trace.rootFailed}, ${trace.blocks}
      FROM ${trace} WHERE ${await traceCondition(filter)} AND ${trace.rootFound}),
    entries AS (SELECT root_operation_id, count(*)::int AS requests, count(*) FILTER (WHERE root_failed)::int AS failing
      FROM chosen GROUP BY 1 ORDER BY ${onlyFailed ? sql`failing` : sql`requests`} DESC, 1 LIMIT ${mostEntries}),
    numbered AS (SELECT chosen.*, row_number() OVER (PARTITION BY root_operation_id ORDER BY trace_id) AS number
      FROM chosen ${onlyFailed ? sql`WHERE root_failed` : sql``})
    SELECT entries.root_operation_id AS "operationId", requests, failing, day, encode(trace_id, 'hex') AS "traceId", blocks
    FROM entries JOIN numbered USING (root_operation_id) WHERE number <= ${mostEach} ORDER BY entries.root_operation_id, number`);
  const found = (rows as unknown as (Omit<Row, 'blocks'> & { blocks: string[] })[]).map((row) => ({
    ...row,
    blocks: row.blocks.map(Number),
  }));
  const spans = await readTraces(found, outlineSpan);
  const entries = new Map<number, EntrySample & { traces: (readonly Span[])[] }>();
  found.forEach(({ operationId, requests, failing }, at) => {
    const entry = entries.get(operationId) ?? { operationId, requests, failing, traces: [] };
    entries.set(operationId, entry);
    entry.traces.push(spans[at]);
  });
  return [...entries.values()];
}

/** Outlines of the traces of a scope, all or, of more than `most`, a fair part of them; and how many there are. */
export async function outlinesOf(filter: TraceFilter, most: number): Promise<{ total: number; traces: Span[][] }> {
  const condition = await traceCondition(filter);
  const [rows, counted] = await Promise.all([
    database()
      .select({ day: trace.day, traceId: trace.traceId, blocks: trace.blocks })
      .from(trace)
      .where(condition)
      .orderBy(trace.traceId)
      .limit(most),
    database().execute(sql`SELECT count(*)::int AS total FROM ${trace} WHERE ${condition}`),
  ]);
  return { total: (counted.rows[0] as { total: number }).total, traces: await readTraces(rows, outlineSpan) };
}

/** The entry operation's id of each of some traces. */
export async function entryOf(traceIds: readonly TraceId[]): Promise<Map<string, number>> {
  const rows = await database()
    .select({ traceId: trace.traceId, operationId: trace.rootOperationId })
    .from(trace)
    .where(inArray(trace.traceId, [...traceIds]));
  return new Map(rows.map(({ traceId, operationId }) => [traceId, operationId]));
}
