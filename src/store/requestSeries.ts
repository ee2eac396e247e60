import { sql } from 'drizzle-orm';
import { database } from './connection.ts';
import { trace } from './schema.ts';
import { type TraceFilter, traceCondition } from './traceFilter.ts';

/** Requests that began in one stretch of time. */
export interface RequestBucket {
  /** Start of the stretch, epoch milliseconds. */
  readonly at: number;
  readonly count: number;
  readonly failed: number;
  readonly p95Ns: number;
}

/** First and last start of all that is kept, epoch nanoseconds; null when nothing is. */
export async function keptTime(): Promise<{ from: bigint; to: bigint } | null> {
  const [row] = await database()
    .select({ from: sql<string | null>`min(${trace.startNs})`, to: sql<string | null>`max(${trace.startNs})` })
    .from(trace);
  return row.from === null || row.to === null ? null : { from: BigInt(row.from), to: BigInt(row.to) };
}

/** Requests over time in stretches of `stepMs`, those without any left out. p95 is exact, from the rows themselves. */
export async function requestSeries(filter: TraceFilter, stepMs: number): Promise<RequestBucket[]> {
  const condition = await traceCondition(filter);
  const stepNs = BigInt(stepMs) * 1_000_000n;
  const { rows } = await database().execute(sql`
    SELECT (${trace.startNs} / ${stepNs}::bigint * ${stepMs}::bigint)::float8 AS at, count(*)::int AS count,
      count(*) FILTER (WHERE ${trace.failedSpanCount} > 0)::int AS failed,
      (percentile_disc(0.95) WITHIN GROUP (ORDER BY ${trace.durationNs}))::float8 AS "p95Ns"
    FROM ${trace} WHERE ${condition} GROUP BY 1 ORDER BY 1`);
  return rows as unknown as RequestBucket[];
}
