import { and, inArray, sql } from 'drizzle-orm';
import { nearestToMedian } from '../../core/trace/alike/compare.ts';
import type { Span, TraceId } from '../../core/trace/span.ts';
import { spansOfTraces } from '../blocks/readTrace.ts';
import { database } from '../database/connection.ts';
import { trace } from '../schema/index.ts';
import { resolveScope } from '../scope/resolveScope.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';

/** Traces whose durations are looked at to find the typical ones. */
const MOST_LOOKED_AT = 5_000;

/**
 * The traces of the same entry operation that are typical of those a filter leaves: that did not fail and whose durations lie nearest
 * to the median. The trace itself is not among them.
 *
 * @returns `of`: how many there were to choose from; undefined when the trace is not kept
 */
export async function typicalTraces(
  traceId: TraceId,
  filter: TraceFilter,
  most: number,
): Promise<{ of: number; traces: Span[][] } | undefined> {
  const [own] = await database()
    .select({ operation: trace.rootOperationId })
    .from(trace)
    .where(inArray(trace.traceId, [traceId]))
    .limit(1);
  if (!own) return undefined;
  const rows = await database()
    .select({ day: trace.day, traceId: trace.traceId, blocks: trace.blocks, durationNs: trace.durationNs })
    .from(trace)
    .where(
      and(
        (await resolveScope(filter)).condition,
        sql`${trace.rootOperationId} = ${own.operation} AND ${trace.rootFound} AND NOT ${trace.rootFailed}`,
        sql`${trace.traceId} <> ${Buffer.from(traceId, 'hex')}`,
      ),
    )
    // Any 5 000 will do: the median of a part is near that of all.
    .orderBy(trace.traceId)
    .limit(MOST_LOOKED_AT);
  const chosen = nearestToMedian(
    rows.map((row) => row.durationNs),
    most,
  );
  return { of: rows.length, traces: await spansOfTraces(chosen.map((at) => rows[at])) };
}
