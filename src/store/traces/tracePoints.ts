import { sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { trace } from '../schema/index.ts';
import { type TraceFilter, traceCondition } from '../scope/traceFilter.ts';

/** Traces as points of time and duration, in columns of one length. */
export interface TracePoints {
  readonly total: number;
  readonly traceId: string[];
  /** Epoch nanoseconds. */
  readonly startNs: bigint[];
  readonly durationNs: number[];
  /** 0 fine, 1 with a failure somewhere, 2 failed. */
  readonly outcome: number[];
}

/**
 * The traces that a filter leaves, as points; of more than `most` the slowest and those that failed, a part each, and a fair sample of
 * the others.
 */
export async function tracePoints(filter: TraceFilter, most: number): Promise<TracePoints> {
  const condition = await traceCondition(filter);
  const quarter = Math.floor(most / 4);
  const columns = sql`${trace.traceId} AS id, ${trace.startNs} AS start, ${trace.durationNs} AS duration,
    CASE WHEN ${trace.rootFailed} THEN 2 WHEN ${trace.failedSpanCount} > 0 THEN 1 ELSE 0 END AS outcome`;
  const db = database();
  const [{ rows }, counted] = await Promise.all([
    db.execute(sql`WITH kept AS MATERIALIZED (SELECT ${columns} FROM ${trace} WHERE ${condition})
      SELECT * FROM (SELECT * FROM kept ORDER BY duration DESC LIMIT ${quarter}) AS slow
      UNION SELECT * FROM (SELECT * FROM kept WHERE outcome > 0 ORDER BY id LIMIT ${quarter}) AS failed
      UNION SELECT * FROM (SELECT * FROM kept ORDER BY id LIMIT ${most - 2 * quarter}) AS fair`),
    db.execute(sql`SELECT count(*)::int AS total FROM ${trace} WHERE ${condition}`),
  ]);
  const points = rows as unknown as { id: Buffer; start: string; duration: string; outcome: number }[];
  return {
    total: (counted.rows[0] as { total: number }).total,
    traceId: points.map(({ id }) => id.toString('hex')),
    startNs: points.map(({ start }) => BigInt(start)),
    durationNs: points.map(({ duration }) => Number(duration)),
    outcome: points.map(({ outcome }) => outcome),
  };
}
