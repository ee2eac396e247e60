import { inArray } from 'drizzle-orm';
import type { TraceId } from '../../core/trace/span.ts';
import { database } from '../database/connection.ts';
import { trace } from '../schema/index.ts';
import { type OperationFigures, operationFigures } from './operationFigures.ts';

/** How the operations of a trace did in a stretch of time, from the rollups; undefined when the trace is not kept. */
export async function figuresOfTrace(traceId: TraceId, from: bigint, to: bigint): Promise<OperationFigures[] | undefined> {
  const [rows, all] = await Promise.all([
    database()
      .select({ ids: trace.operationIds })
      .from(trace)
      .where(inArray(trace.traceId, [traceId])),
    operationFigures(from, to),
  ]);
  if (rows.length === 0) return undefined;
  const ids = new Set(rows.flatMap((row) => row.ids));
  return all.filter((it) => ids.has(it.operationId));
}
