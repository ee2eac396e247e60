import { eq } from 'drizzle-orm';
import type { TraceId } from '../../core/trace/span.ts';
import { database } from '../database/connection.ts';
import { trace } from '../schema/index.ts';

/** How many spans a trace has, without reading them; 0 when it is not kept. */
export async function traceSize(traceId: TraceId): Promise<number> {
  const rows = await database().select({ spans: trace.spanCount }).from(trace).where(eq(trace.traceId, traceId));
  return rows.reduce((sum, { spans }) => sum + spans, 0);
}
