import { and, inArray, lte, sql } from 'drizzle-orm';
import { outlineSpan } from '../../formats/otlp/span/spanOutline.ts';
import { readTraces } from '../blocks/readTrace.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';
import { trace } from '../schema/index.ts';

/** What an open span says of a running request. */
export interface OpenRequest {
  /** When it was told, epoch milliseconds. */
  readonly at: number;
  readonly service: string;
  readonly instance: string;
  readonly traceId: string;
  readonly spanId: string;
  readonly operation: string;
  readonly step: string;
  /** When it was told; of an open span, at the moment that is asked about. */
  readonly ageMs: number;
  readonly wait: string;
}

/** Such a span is told once: it runs until it comes again with an end, and so long at most. */
const OPEN_NS = 600_000_000_000n;
const MOST = 100;
/** Larger traces are not read to see whether the span has ended: such a request is said to run until the time is over. */
const MOST_SPANS = 2_000;

/** Requests that run at a moment (epoch nanoseconds) by spans without an end, the oldest first; none whose span had ended by then. */
async function openRequestsAt(moment: bigint, traceId?: string): Promise<OpenRequest[]> {
  const from = moment - OPEN_NS;
  const { rows } = await database().execute(sql`
    SELECT * FROM (
      SELECT DISTINCT ON (service, instance, trace_id) (time_ns / 1000000)::float8 AS at, service, instance, trace_id AS "traceId",
        span_id AS "spanId", operation, step, age_ms + (${moment}::bigint - time_ns) / 1e6::float8 AS "ageMs", wait
      FROM in_flight WHERE open_span AND day BETWEEN ${dayOf(from)} AND ${dayOf(moment)} AND time_ns >= ${from} AND time_ns < ${moment}
        ${traceId === undefined ? sql`` : sql`AND trace_id = ${traceId}`}
      ORDER BY service, instance, trace_id, time_ns DESC
    ) AS latest ORDER BY "ageMs" DESC LIMIT ${MOST}`);
  const open = rows as unknown as OpenRequest[];
  if (open.length === 0) return [];
  const ended = await endedSpans([...new Set(open.map(({ traceId }) => traceId))], moment);
  return open.filter(({ traceId, spanId }) => !ended.has(`${traceId} ${spanId}`));
}

/** The spans of some traces that had ended at a moment. */
async function endedSpans(traceIds: readonly string[], moment: bigint): Promise<Set<string>> {
  const located = await database()
    .select({ day: trace.day, traceId: trace.traceId, blocks: trace.blocks })
    .from(trace)
    .where(and(inArray(trace.traceId, [...traceIds]), lte(trace.spanCount, MOST_SPANS)));
  const spans = await readTraces(located, outlineSpan);
  return new Set(spans.flatMap((of) => of.flatMap((it) => (it.end <= moment ? `${it.traceId} ${it.spanId}` : []))));
}

/**
 * Running requests from reports and from open spans. Where both name the same request in the same service, the report is kept.
 *
 * @param traceId of which alone it is asked
 */
export async function withOpenRequests<T extends { readonly service: string; readonly traceId: string }>(
  reported: readonly T[],
  moment: bigint,
  read: (open: OpenRequest) => T,
  traceId?: string,
): Promise<T[]> {
  const open = await openRequestsAt(moment, traceId);
  if (open.length === 0) return [...reported];
  const known = new Set(reported.map(({ service, traceId }) => `${traceId} ${service}`));
  return [...reported, ...open.filter(({ service, traceId }) => !known.has(`${traceId} ${service}`)).map(read)];
}
