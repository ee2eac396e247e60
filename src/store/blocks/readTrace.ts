import { and, eq, inArray, lte, sql } from 'drizzle-orm';
import type { Attributes, InstrumentationScope, Span, SpanId, TraceId } from '../../core/trace/span.ts';
import { KnownOrigins } from '../../formats/otlp/attributes/knownOrigins.ts';
import { outlineSpan } from '../../formats/otlp/span/spanOutline.ts';
import { readSpan, traceIdBytes } from '../../formats/otlp/span/spanRecord.ts';
import { traceIdText } from '../../formats/otlp/wire/idText.ts';
import type { RecordGroup, TelemetryRequest } from '../../formats/otlp/wire/request.ts';
import { database } from '../database/connection.ts';
import { spanBlock, trace } from '../schema/index.ts';
import { blocksOf } from './unpackBlocks.ts';

/** All spans of a trace, in no order; empty when none is kept. With `spanId`, that span alone. */
export async function readSpans(traceId: TraceId, spanId?: SpanId): Promise<Span[]> {
  const rows = await blocksOfTrace(traceId);
  const wanted = Buffer.from(traceId, 'hex');
  const spans: Span[] = [];
  const origins = new KnownOrigins();
  for (const { day, blocks } of rows)
    for await (const { request } of blocksOf(spanBlock, day, blocks)) {
      for (const group of request.groups) {
        const records = group.records.filter((record) => isOf(record, wanted));
        if (records.length === 0) continue;
        const [resource, scope] = [origins.resource(group.resource), origins.scope(group.scope)];
        for (const record of records) {
          const span = readSpan(record, resource, scope);
          if (spanId === undefined || span.spanId === spanId) spans.push(span);
        }
      }
    }
  return spans;
}

function isOf(record: Uint8Array, traceId: Buffer): boolean {
  const id = traceIdBytes(record);
  return id !== undefined && traceId.equals(id);
}

/** All spans of a trace, in no order, of which what is not asked for is not read: many times as fast for large ones. */
export async function outlineSpans(traceId: TraceId): Promise<Span[]> {
  const rows = await blocksOfTrace(traceId);
  const found = await readTraces(
    rows.map((row) => ({ ...row, traceId })),
    outlineSpan,
  );
  // Rows of one trace on two days have one list.
  return [...new Set(found)].flat();
}

/** All that was sent of a trace as one export request, as it came; undefined when none of it is kept. */
export async function requestOfTrace(traceId: TraceId): Promise<TelemetryRequest | undefined> {
  const wanted = Buffer.from(traceId, 'hex');
  const groups: RecordGroup[] = [];
  for (const { day, blocks } of await blocksOfTrace(traceId))
    for await (const { request } of blocksOf(spanBlock, day, blocks))
      for (const group of request.groups) {
        const records = group.records.filter((record) => isOf(record, wanted));
        if (records.length > 0) groups.push({ ...group, records });
      }
  return groups.length === 0 ? undefined : { groups, beside: Buffer.alloc(0) };
}

function blocksOfTrace(traceId: TraceId): Promise<{ day: number; blocks: number[] }[]> {
  // Prepared: to plan a search in the parts of all days takes as long as the search.
  return database()
    .select({ day: trace.day, blocks: trace.blocks })
    .from(trace)
    .where(eq(trace.traceId, sql.placeholder('traceId')))
    .prepare('blocks of a trace')
    .execute({ traceId: Buffer.from(traceId, 'hex') });
}

/** The spans of some traces by their ids; those of more spans than `most`, and those that are not kept, are left out. */
export async function spansOf(traceIds: readonly TraceId[], most: number): Promise<Map<TraceId, Span[]>> {
  const rows = await database()
    .select({ day: trace.day, traceId: trace.traceId, blocks: trace.blocks })
    .from(trace)
    .where(and(inArray(trace.traceId, [...traceIds]), lte(trace.spanCount, most)));
  const spans = await spansOfTraces(rows);
  return new Map(rows.map((row, at) => [row.traceId as TraceId, spans[at]]));
}

type TraceBlocks = Pick<typeof trace.$inferSelect, 'day' | 'traceId' | 'blocks'>;

/** The spans of some traces, in the order of the rows. */
export function spansOfTraces(rows: readonly TraceBlocks[]): Promise<Span[][]> {
  return readTraces(rows, readSpan);
}

/** What `read` makes of each span of some traces, in the order of the rows; each block is read once, however many of them lie in it. */
export async function readTraces<T>(
  rows: readonly TraceBlocks[],
  read: (record: Uint8Array, resource: Attributes, scope: InstrumentationScope) => T,
): Promise<T[][]> {
  const foundOf = new Map<string, T[]>(rows.map((row) => [row.traceId, []]));
  const wanted = new Map<number, Set<number>>();
  const origins = new KnownOrigins();
  for (const { day, blocks } of rows) {
    const ids = wanted.get(day) ?? new Set();
    wanted.set(day, ids);
    for (const block of blocks) ids.add(block);
  }
  for (const [day, ids] of wanted)
    for await (const { request } of blocksOf(spanBlock, day, [...ids])) {
      for (const group of request.groups) {
        let [resource, scope]: [Attributes?, InstrumentationScope?] = [];
        for (const record of group.records) {
          const bytes = traceIdBytes(record);
          const found = bytes && foundOf.get(traceIdText(bytes, 0));
          if (!found) continue;
          // Of most groups of a block none may be wanted.
          resource ??= origins.resource(group.resource);
          scope ??= origins.scope(group.scope);
          found.push(read(record, resource, scope));
        }
      }
    }
  return rows.map((row) => foundOf.get(row.traceId)!);
}
