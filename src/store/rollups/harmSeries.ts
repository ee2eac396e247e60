import { sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { trace } from '../schema/index.ts';
import { isNarrowed, type TraceFilter, traceCondition } from '../scope/traceFilter.ts';
import { ALL_ENTRIES, minuteOf } from './rollups.ts';

/** Requests of one entry operation that began in one stretch of time. */
export interface EntryBucket {
  /** Start of the stretch, epoch milliseconds. */
  readonly at: number;
  readonly entryId: number;
  readonly calls: number;
  readonly failures: number;
  /** Total duration of those that went well. */
  readonly okNs: number;
}

/** Requests by entry operation and stretches of `stepMs` (whole minutes): from rollups when nothing narrows, else from the row a trace. */
export async function entryBuckets(filter: TraceFilter & { from: bigint; to: bigint }, stepMs: number): Promise<EntryBucket[]> {
  if (isNarrowed(filter)) {
    const condition = await traceCondition(filter);
    const stepNs = BigInt(stepMs) * 1_000_000n;
    const { rows } = await database().execute(sql`
      SELECT (${trace.rootStartNs} / ${stepNs}::bigint * ${stepMs}::bigint)::float8 AS at, ${trace.rootOperationId} AS "entryId",
        count(*)::int AS calls, count(*) FILTER (WHERE ${trace.rootFailed})::int AS failures,
        coalesce(sum(${trace.durationNs}) FILTER (WHERE NOT ${trace.rootFailed}), 0)::float8 AS "okNs"
      FROM ${trace} WHERE ${condition} AND ${trace.rootFound} GROUP BY 1, 2`);
    return rows as unknown as EntryBucket[];
  }
  const minutes = stepMs / 60_000;
  const { rows } = await database().execute(sql`
    SELECT (minute / ${minutes} * ${stepMs}::bigint)::float8 AS at, key_id AS "entryId", sum(calls)::int AS calls,
      sum(failures)::int AS failures, sum(ok_ns)::float8 AS "okNs"
    FROM operation_minute WHERE entry AND key_id > ${ALL_ENTRIES} AND day > 0
      AND minute BETWEEN ${minuteOf(filter.from)} AND ${minuteOf(filter.to)} GROUP BY 1, 2`);
  return rows as unknown as EntryBucket[];
}
