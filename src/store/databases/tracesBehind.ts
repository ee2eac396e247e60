import { sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { daysAround } from '../retention/days.ts';

/** A request in whose course a statement was seen to run. */
export interface TraceBehind {
  readonly traceId: string;
  /** Epoch milliseconds. */
  readonly start: number;
  readonly durationNs: number;
  readonly failed: boolean;
  /** Of its entry. */
  readonly service: string;
  readonly operation: string;
}

/** The stored traces whose ids begin with some hex digits, of a stretch of time (epoch nanoseconds). Those that are not stored are left out. */
export async function tracesBehind(prefixes: readonly string[], from: bigint, to: bigint): Promise<TraceBehind[]> {
  if (prefixes.length === 0) return [];
  const { first, last } = daysAround(from, to);
  const { rows } = await database().execute(sql`
    SELECT encode(trace_id, 'hex') AS "traceId", (root_start_ns / 1000000)::float8 AS start, duration_ns::float8 AS "durationNs",
      root_failed AS failed, operation.service, operation.name AS operation
    FROM unnest(${`{${prefixes.join(',')}}`}::text[]) AS prefix
    JOIN LATERAL (SELECT * FROM trace
      WHERE trace_id >= decode(rpad(prefix, 32, '0'), 'hex') AND trace_id <= decode(rpad(prefix, 32, 'f'), 'hex')
        AND day BETWEEN ${Math.max(1, first)} AND ${last} LIMIT 1) AS found ON true
    JOIN operation ON operation.id = root_operation_id ORDER BY duration_ns DESC`);
  return rows as unknown as TraceBehind[];
}
