import { sql } from 'drizzle-orm';
import type { TraceId } from '../../core/trace/span.ts';
import { database } from '../database/connection.ts';
import type { DurationBucket } from '../requests/requestOverview.ts';
import { daysAround } from '../retention/days.ts';
import { trace } from '../schema/index.ts';

/** How a trace's duration stands among those of the same entry operation. */
export interface AmongLike {
  /** How many like it there are, itself not counted. */
  readonly count: number;
  /** How many of them took less time. */
  readonly faster: number;
  readonly p50Ns: number | null;
  readonly durations: readonly Omit<DurationBucket, 'failed'>[];
}

/** Compares a trace with the others of its root's operation that began in a stretch of time; undefined when it is not kept. */
export async function amongLike(traceId: TraceId, from: bigint, to: bigint): Promise<AmongLike | undefined> {
  const db = database();
  const { first, last } = daysAround(from, to);
  const id = Buffer.from(traceId, 'hex');
  const like = sql`FROM ${trace} AS other JOIN ${trace} AS it ON it.trace_id = ${id} AND other.root_operation_id = it.root_operation_id
    WHERE other.trace_id <> it.trace_id AND other.root_found = it.root_found AND other.day BETWEEN ${first} AND ${last} AND other.start_ns >= ${from} AND other.start_ns < ${to}`;
  const [known, figures, durations] = await Promise.all([
    db.execute(sql`SELECT 1 FROM ${trace} WHERE ${trace.traceId} = ${id}`),
    db.execute(sql`SELECT count(*)::int AS count, (count(*) FILTER (WHERE other.duration_ns < it.duration_ns))::int AS faster,
      (percentile_disc(0.5) WITHIN GROUP (ORDER BY other.duration_ns))::float8 AS "p50Ns" ${like}`),
    db.execute(sql`SELECT floor(4 * ln(greatest(other.duration_ns, 1)) / ln(2))::int AS step, count(*)::int AS count ${like}
      GROUP BY step ORDER BY step`),
  ]);
  if (known.rows.length === 0) return undefined;
  return {
    ...(figures.rows[0] as unknown as Omit<AmongLike, 'durations'>),
    durations: durations.rows as unknown as AmongLike['durations'],
  };
}
