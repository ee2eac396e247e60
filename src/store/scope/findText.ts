import { and, eq, gt, ilike, sql } from 'drizzle-orm';
import { attributeText } from '../../core/trace/attributeText.ts';
import type { Span, SpanId, TraceId } from '../../core/trace/span.ts';
import { readResource } from '../../formats/otlp/attributes/attributes.ts';
import { readSpan } from '../../formats/otlp/span/spanRecord.ts';
import { blocksWith } from '../blocks/scanSpans.ts';
import { database } from '../database/connection.ts';
import { CLOCK_OUT_OF_RANGE } from '../retention/days.ts';
import { facet, trace } from '../schema/index.ts';

/** Requests that something was found in. Times are epoch nanoseconds of their first and last start. */
export interface Found {
  readonly requests: number;
  readonly first: bigint;
  readonly last: bigint;
}

/** Requests of a user or a session; undefined when there is none. */
export async function requestsOf(who: 'user' | 'session', name: string): Promise<Found | undefined> {
  const column = who === 'user' ? trace.userRef : trace.sessionRef;
  const [row] = await database()
    .select({
      requests: sql<number>`count(*)::int`,
      first: sql<string | null>`min(${trace.startNs})`,
      last: sql<string | null>`max(${trace.startNs})`,
    })
    .from(trace)
    .where(and(gt(trace.day, CLOCK_OUT_OF_RANGE), eq(column, name)));
  return row.first === null || row.last === null
    ? undefined
    : { requests: row.requests, first: BigInt(row.first), last: BigInt(row.last) };
}

export async function isKept(traceId: TraceId): Promise<boolean> {
  const rows = await database().select({ id: trace.traceId }).from(trace).where(eq(trace.traceId, traceId)).limit(1);
  return rows.length > 0;
}

/** Attribute values that have a text in them. */
export async function facetValuesLike(text: string, most: number): Promise<{ key: string; value: string }[]> {
  const pattern = `%${text.replace(/[\\%_]/g, '\\$&')}%`;
  return database()
    .select({ key: facet.key, value: facet.value })
    .from(facet)
    .where(ilike(facet.value, pattern))
    .orderBy(sql`length(${facet.value})`, facet.key, facet.value)
    .limit(most);
}

/** The trace of a span; undefined when the span is not kept. */
export async function traceOfSpan(spanId: SpanId): Promise<TraceId | undefined> {
  const needle = Buffer.from(spanId, 'hex');
  for await (const span of spansWith(needle)) if (span.spanId === spanId) return span.traceId;
  return undefined;
}

/** Where a text stands in spans. */
export interface TextFound extends Found {
  /** The key of the attribute whose value it is, or in whose value it stands; `exception.message` and the like for errors. */
  readonly key: string;
  readonly whole: boolean;
}

/** Spans read that have the text, at most, the latest. */
const MOST_SPANS = 2_000;

/** Looks for a text in all attributes and errors of the spans that are kept, the latest first; upper and lower case are different here. */
export async function findInSpans(text: string): Promise<{ found: TextFound[]; complete: boolean }> {
  const keys = new Map<string, { traces: Set<string>; first: bigint; last: bigint; whole: boolean }>();
  let looked = 0;
  const note = (span: Span, key: string, value: string) => {
    const it = keys.get(key) ?? { traces: new Set<string>(), first: span.start, last: span.start, whole: false };
    keys.set(key, it);
    it.traces.add(span.traceId);
    if (span.start < it.first) it.first = span.start;
    if (span.start > it.last) it.last = span.start;
    if (value === text) it.whole = true;
  };
  for await (const span of spansWith(Buffer.from(text))) {
    if (++looked > MOST_SPANS) break;
    for (const attributes of [span.attributes, ...span.events.map((it) => it.attributes)])
      for (const [key, value] of Object.entries(attributes)) {
        const told = attributeText(value) ?? '';
        if (told.includes(text)) note(span, key, told);
      }
    if (span.statusMessage.includes(text)) note(span, 'status message', span.statusMessage);
    if (span.name.includes(text)) note(span, 'operation', span.name);
  }
  return {
    found: [...keys]
      .map(([key, { traces, first, last, whole }]) => ({ key, whole, requests: traces.size, first, last }))
      .sort((a, b) => Number(b.whole) - Number(a.whole) || b.requests - a.requests),
    complete: looked <= MOST_SPANS,
  };
}

async function* spansWith(needle: Buffer): AsyncGenerator<Span> {
  for await (const { request } of blocksWith(needle, undefined, undefined))
    for (const { resource, records } of request.groups) {
      let shared: ReturnType<typeof readResource> | undefined;
      for (const record of records) {
        if (!Buffer.from(record.buffer, record.byteOffset, record.byteLength).includes(needle)) continue;
        shared ??= readResource(resource);
        yield readSpan(record, shared, { name: '', version: '' });
      }
    }
}
