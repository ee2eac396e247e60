import { gt, sql } from 'drizzle-orm';
import { database } from './connection.ts';
import { ASTRAY } from './days.ts';
import { trace } from './schema/index.ts';
import { type TraceFilter, traceCondition } from './traceFilter.ts';

/** Requests that began in one stretch of time. */
export interface RequestBucket {
  /** Start of the stretch, epoch milliseconds. */
  readonly at: number;
  readonly count: number;
  readonly failed: number;
  readonly p95Ns: number;
}

/** First and last start of all that is kept, epoch nanoseconds; null when nothing is. What a clock gone astray has sent is left out. */
export async function keptTime(): Promise<{ from: bigint; to: bigint } | null> {
  const [row] = await database()
    .select({ from: sql<string | null>`min(${trace.startNs})`, to: sql<string | null>`max(${trace.startNs})` })
    .from(trace)
    .where(gt(trace.day, ASTRAY));
  return row.from === null || row.to === null ? null : { from: BigInt(row.from), to: BigInt(row.to) };
}

/** Requests over time in stretches of `stepMs`, those without any left out. A trace whose root has not come is no request yet. */
export async function requestSeries(filter: TraceFilter, stepMs: number): Promise<RequestBucket[]> {
  const condition = await traceCondition(filter);
  const stepNs = BigInt(stepMs) * 1_000_000n;
  const { rows } = await database().execute(sql`
    SELECT (${trace.rootStartNs} / ${stepNs}::bigint * ${stepMs}::bigint)::float8 AS at, count(*)::int AS count,
      count(*) FILTER (WHERE ${trace.rootFailed})::int AS failed,
      (percentile_disc(0.95) WITHIN GROUP (ORDER BY ${trace.durationNs}))::float8 AS "p95Ns"
    FROM ${trace} WHERE ${condition} AND ${trace.rootFound} GROUP BY 1 ORDER BY 1`);
  return rows as unknown as RequestBucket[];
}
