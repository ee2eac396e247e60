import { sql } from 'drizzle-orm';
import type { TraceId } from '../../core/trace/span.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';

/** What a visitor did that began a trace, as the page or screen reported it. */
export interface OriginVisit {
  readonly visitor: string;
  readonly session: string;
  readonly page: string;
  readonly name: string;
  readonly durationMs: number | null;
}

/** A browser's clock may be off by so much. */
const CLOCK_NS = 600_000_000_000n;

/** @param startNs of the trace, epoch nanoseconds */
export async function visitOfTrace(traceId: TraceId, startNs: bigint): Promise<OriginVisit | null> {
  const [from, to] = [startNs - CLOCK_NS, startNs + CLOCK_NS];
  const { rows } = await database().execute(sql`
    SELECT service AS visitor, session, page, name, duration_ms::float8 AS "durationMs" FROM visit
    WHERE day BETWEEN ${Math.max(1, dayOf(from))} AND ${dayOf(to)} AND time_ns BETWEEN ${from} AND ${to} AND trace_id = ${traceId}
    ORDER BY time_ns LIMIT 1`);
  return (rows[0] as unknown as OriginVisit | undefined) ?? null;
}
