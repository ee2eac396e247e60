import { and, eq } from 'drizzle-orm';
import {
  SPAN_KINDS,
  SPAN_STATUSES,
  type Span,
  type SpanEvent,
  type SpanId,
  type SpanLink,
  type TraceId,
} from '../core/trace/span.ts';
import { database } from './connection.ts';
import { operationsOf, reportersOf } from './dictionaries.ts';
import { span } from './schema.ts';

/** All spans of a trace, in no order; empty when none is kept. With `spanId`, that span alone. */
export async function readSpans(traceId: TraceId, spanId?: SpanId): Promise<Span[]> {
  const rows = await database()
    .select()
    .from(span)
    .where(and(eq(span.traceId, traceId), spanId && eq(span.spanId, spanId)));
  const operationOf = await operationsOf(rows.map((row) => row.operationId));
  const reporterOf = await reportersOf(rows.map((row) => row.reporterId));
  return rows.map((row) => {
    const { service, name, kind } = operationOf(row.operationId);
    return {
      traceId,
      spanId: row.spanId as SpanId,
      parentSpanId: row.parentSpanId as SpanId | null,
      traceState: row.traceState,
      name,
      service,
      kind: SPAN_KINDS[kind],
      start: row.startNs,
      end: row.startNs + BigInt(row.durationNs),
      status: SPAN_STATUSES[row.status],
      statusMessage: row.statusMessage,
      attributes: row.attributes,
      ...reporterOf(row.reporterId),
      events: readEvents(row.events),
      links: (row.links ?? []) as SpanLink[],
    };
  });
}

/** Events lie in the table with their times as text, since JSON has no number that holds epoch nanoseconds. */
function readEvents(stored: unknown): SpanEvent[] {
  return ((stored ?? []) as (Omit<SpanEvent, 'time'> & { time: string })[]).map((event) => ({
    ...event,
    time: BigInt(event.time),
  }));
}
