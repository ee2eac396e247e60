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

const DAY_NS = 86_400_000_000_000n;
/** A start this long ago, or this far ahead, comes from a clock that is off rather than from that time. */
const LONGEST_AGO = 400n * DAY_NS;
const FURTHEST_AHEAD = DAY_NS;

/**
 * First and last start of all that is kept, epoch nanoseconds; null when nothing is. Starts that only a clock gone astray can have
 * sent are left out, unless there are no others: one of them would stretch the whole over decades.
 */
export async function keptTime(now = BigInt(Date.now()) * 1_000_000n): Promise<{ from: bigint; to: bigint } | null> {
  const likely = sql`${trace.startNs} BETWEEN ${now - LONGEST_AGO} AND ${now + FURTHEST_AHEAD}`;
  const [row] = await database()
    .select({
      from: sql<string | null>`coalesce(min(${trace.startNs}) FILTER (WHERE ${likely}), min(${trace.startNs}))`,
      to: sql<string | null>`coalesce(max(${trace.startNs}) FILTER (WHERE ${likely}), max(${trace.startNs}))`,
    })
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
