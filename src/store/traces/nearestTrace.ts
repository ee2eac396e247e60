import { sql } from 'drizzle-orm';
import type { TraceId } from '../../core/trace/span.ts';
import { database } from '../database/connection.ts';
import { trace } from '../schema/index.ts';
import { type TraceFilter, traceCondition } from '../scope/traceFilter.ts';

/** Of the traces that a filter leaves the one whose duration is nearest to one, as a ratio; of equals the latest. @param durationNs over 0 */
export async function nearestTrace(filter: TraceFilter, durationNs: number): Promise<TraceId | undefined> {
  const condition = await traceCondition(filter);
  const [row] = await database()
    .select({ traceId: trace.traceId })
    .from(trace)
    .where(condition)
    .orderBy(sql`abs(ln(greatest(${trace.durationNs}, 1)) - ln(${durationNs}::float8)), ${trace.startNs} DESC`)
    .limit(1);
  return row?.traceId as TraceId | undefined;
}
