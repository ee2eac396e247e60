import { sql } from 'drizzle-orm';
import type { SpanId, TraceId } from '../../core/trace/span.ts';
import { database } from '../database/connection.ts';

/** A database session that others waited for. */
export interface Blocker {
  readonly server: string;
  readonly session: string;
  readonly program: string;
  readonly state: string;
  readonly statement: string;
  /** Hex; empty when it worked for no trace that it tells of. */
  readonly traceId: string;
  /** In how many samples it stood in the way. */
  readonly samples: number;
  /** 1: it blocked the span itself; 2: it blocked who blocked it, and so on. */
  readonly depth: number;
  /** Whether it did not wait itself. */
  readonly isFirst: boolean;
}

/** Sessions wait for each other in rows of so many at most that are looked through. */
const DEEPEST = 6;
const MOST = 6;

/** The sessions that a span's database call waited for, and those that these waited for, by the samples that name the span; the first cause first. */
export async function blockersOf(traceId: TraceId, spanId: SpanId): Promise<Blocker[]> {
  const { rows } = await database().execute(sql`
    WITH RECURSIVE held AS (
      SELECT day, time_ns, server, unnest(blocked_by) AS session, 1 AS depth FROM db_sample
      WHERE trace_id = ${traceId} AND statement LIKE ${`%-${spanId}-%`}
      UNION
      SELECT held.day, held.time_ns, held.server, unnest(it.blocked_by), held.depth + 1 FROM held
      JOIN db_sample it USING (day, time_ns, server, session) WHERE held.depth < ${DEEPEST})
    SELECT server, session, it.program, it.state, regexp_replace(it.statement, '\\s*/\\*.*?\\*/', '', 'g') AS statement,
      it.trace_id AS "traceId", count(DISTINCT time_ns)::int AS samples, min(depth) AS depth,
      bool_and(cardinality(it.blocked_by) = 0) AS "isFirst"
    FROM held JOIN db_sample it USING (day, time_ns, server, session)
    GROUP BY server, session, it.program, it.state, 5, it.trace_id
    ORDER BY bool_and(cardinality(it.blocked_by) = 0) DESC, samples DESC, session LIMIT ${MOST}`);
  return rows as unknown as Blocker[];
}
