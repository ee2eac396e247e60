import { type SQL, sql } from 'drizzle-orm';
import { ASTRAY, daysAround } from './days.ts';
import { operationIdsLike } from './dictionaries.ts';
import { trace } from './schema/index.ts';

/** Which traces are wanted. All conditions must hold; an absent one does not narrow. */
export interface TraceFilter {
  /** Of the trace's first start, epoch nanoseconds, from inclusive, to exclusive. */
  readonly from?: bigint;
  readonly to?: bigint;
  /** A service that takes part; with `operation`, the service of that operation. */
  readonly service?: string;
  /** The name of any span in the trace. */
  readonly operation?: string;
  /** The name of the root span. */
  readonly entry?: string;
  /** Of the root's duration, both inclusive. */
  readonly minDurationNs?: number;
  readonly maxDurationNs?: number;
  /** Whether any of its spans failed. */
  readonly failed?: boolean;
  /** Whether those are wanted whose clock was years off, which are else left out. */
  readonly astray?: boolean;
}

/** The filter as a condition on `trace`. */
export async function traceCondition(filter: TraceFilter): Promise<SQL> {
  // Only the days that the window touches are looked at.
  const { first, last } = daysAround(filter.from, filter.to);
  const all: SQL[] = [
    filter.astray ? sql`${trace.day} = ${ASTRAY}` : sql`${trace.day} BETWEEN ${Math.max(first, 1)} AND ${last}`,
  ];
  if (filter.from !== undefined) all.push(sql`${trace.startNs} >= ${filter.from}`);
  if (filter.to !== undefined) all.push(sql`${trace.startNs} < ${filter.to}`);
  if (filter.minDurationNs !== undefined) all.push(sql`${trace.durationNs} >= ${filter.minDurationNs}`);
  if (filter.maxDurationNs !== undefined) all.push(sql`${trace.durationNs} <= ${filter.maxDurationNs}`);
  if (filter.failed !== undefined)
    all.push(filter.failed ? sql`${trace.failedSpanCount} > 0` : sql`${trace.failedSpanCount} = 0`);
  if (filter.service !== undefined || filter.operation !== undefined) {
    const ids = await operationIdsLike({ service: filter.service, name: filter.operation });
    all.push(sql`${trace.operationIds} && ${intArray(ids)}`);
  }
  if (filter.entry !== undefined) {
    const ids = await operationIdsLike({ name: filter.entry });
    all.push(sql`${trace.rootOperationId} = ANY(${intArray(ids)})`);
  }
  return sql.join(all, sql` AND `);
}

function intArray(ids: readonly number[]): SQL {
  return sql`${`{${ids.join(',')}}`}::int[]`;
}
