import { inArray, sql } from 'drizzle-orm';
import type { Span, TraceId } from '../../core/trace/span.ts';
import { outlineSpan } from '../../formats/otlp/span/spanOutline.ts';
import { skimSpan } from '../../formats/otlp/span/spanSkim.ts';
import { readTraces } from '../blocks/readTrace.ts';
import { database } from '../database/connection.ts';
import { trace } from '../schema/index.ts';
import { stratifiedSample } from './sampleTraces.ts';
import { type TraceFilter, traceCondition } from './traceFilter.ts';

/** Traces of an entry, and how many requests of the kind that was asked for came by it. */
export interface EntrySample {
  readonly operationId: number;
  readonly requests: number;
  readonly traces: readonly (readonly Span[])[];
}

interface Row {
  readonly operationId: number;
  readonly requests: number;
  readonly day: number;
  readonly traceId: string;
  readonly blocks: number[];
}

/**
 * A fair sample of the requests of a scope by their entry: so many traces of each of the entries that most come by, or of those that failed
 * alone, which are read with all they say. Blocks are drawn, and what lies in them: each is read once for many traces. Their ids are hashes,
 * so that the draw is fair, and the same one each time.
 *
 * @param entryIds the entries that are wanted; those that most come by when undefined
 */
export async function tracesByEntry(
  filter: TraceFilter,
  which: 'all' | 'failed',
  mostEach: number,
  mostEntries: number,
  entryIds?: readonly number[],
): Promise<EntrySample[]> {
  const order = which === 'failed' ? sql`trace_id` : sql`blocks[1], trace_id`;
  const { rows } = await database().execute(sql`
    WITH chosen AS (SELECT ${trace.day}, ${trace.traceId}, ${trace.rootOperationId}, ${trace.blocks} FROM ${trace}
      WHERE ${await traceCondition(filter)} AND ${trace.rootFound} ${which === 'failed' ? sql`AND ${trace.rootFailed}` : sql``}
        ${entryIds ? sql`AND ${trace.rootOperationId} = ANY(${`{${entryIds.join(',')}}`}::int[])` : sql``}),
    entries AS (SELECT root_operation_id, count(*)::int AS requests FROM chosen GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT ${mostEntries}),
    numbered AS (SELECT *, row_number() OVER (PARTITION BY root_operation_id ORDER BY ${order}) AS number FROM chosen)
    SELECT root_operation_id AS "operationId", requests, day, encode(trace_id, 'hex') AS "traceId", blocks
    FROM entries JOIN numbered USING (root_operation_id) WHERE number <= ${mostEach} ORDER BY root_operation_id, number`);
  const found = (rows as unknown as (Omit<Row, 'blocks'> & { blocks: string[] })[]).map((row) => ({
    ...row,
    blocks: row.blocks.map(Number),
  }));
  const spans = await readTraces(found, which === 'failed' ? outlineSpan : skimSpan);
  const entries = new Map<number, EntrySample & { traces: (readonly Span[])[] }>();
  found.forEach(({ operationId, requests }, at) => {
    const entry = entries.get(operationId) ?? { operationId, requests, traces: [] };
    entries.set(operationId, entry);
    entry.traces.push(spans[at]);
  });
  return [...entries.values()];
}

/** The traces of a scope, skimmed, all or, of more than `most`, a fair part of them; and how many there are. */
export async function skimmedTraces(filter: TraceFilter, most: number): Promise<{ total: number; traces: Span[][] }> {
  const { total, rows } = await stratifiedSample(await traceCondition(filter), most);
  return { total, traces: await readTraces(rows, skimSpan) };
}

/** The entry operation's id of each of some traces. */
export async function entryOf(traceIds: readonly TraceId[]): Promise<Map<string, number>> {
  const rows = await database()
    .select({ traceId: trace.traceId, operationId: trace.rootOperationId })
    .from(trace)
    .where(inArray(trace.traceId, [...traceIds]));
  return new Map(rows.map(({ traceId, operationId }) => [traceId, operationId]));
}
