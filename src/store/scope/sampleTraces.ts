import { type SQL, sql } from 'drizzle-orm';
import type { Span } from '../../core/trace/span.ts';
import { spansOfTraces } from '../blocks/readTrace.ts';
import { database } from '../database/connection.ts';
import { trace } from '../schema/index.ts';
import { type TraceFilter, traceCondition } from './traceFilter.ts';

/** Traces drawn from those of some entries, and how many there are in all. */
export interface TraceSample {
  readonly total: number;
  /** The spans of each trace. */
  readonly traces: readonly (readonly Span[])[];
}

/** Ids are random: the first by id are a fair sample, and the same one each time. */
export async function sampleTraces(
  filter: TraceFilter,
  entryIds: readonly number[],
  most: number,
  onlyFailed = false,
): Promise<TraceSample> {
  const condition = sql`${await traceCondition(filter)} AND ${trace.rootFound}
    AND ${trace.rootOperationId} = ANY(${`{${entryIds.join(',')}}`}::int[])${onlyFailed ? sql` AND ${trace.rootFailed}` : sql``}`;
  const { total, rows } = await stratifiedSample(condition, most);
  return { total, traces: await spansOfTraces(rows) };
}

/** Rows of so many of the traces that a condition leaves, and how many it leaves in all. Ids are random: the first by id are a fair sample. */
export async function stratifiedSample(condition: SQL, most: number) {
  const [rows, counted] = await Promise.all([
    database()
      .select({ day: trace.day, traceId: trace.traceId, blocks: trace.blocks })
      .from(trace)
      .where(condition)
      .orderBy(trace.traceId)
      .limit(most),
    database().execute(sql`SELECT count(*)::int AS total FROM ${trace} WHERE ${condition}`),
  ]);
  return { total: (counted.rows[0] as { total: number }).total, rows };
}
