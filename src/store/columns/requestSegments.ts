import { sql } from 'drizzle-orm';
import type { Segment } from '../../core/columns/segment.ts';
import { headAt, RequestSegmentWriter } from '../../core/requests/requestColumns.ts';
import { type RequestHead, requestRow } from '../../core/requests/requestRow.ts';
import { SPAN_KINDS } from '../../core/trace/span.ts';
import { readSpan } from '../../formats/otlp/span/spanRecord.ts';
import { readTraces } from '../blocks/readTrace.ts';
import { database } from '../database/connection.ts';
import { operationsOf } from '../dictionaries/dictionaries.ts';
import { trace } from '../schema/index.ts';
import { type Slot, type SlotSegments, slotSegments } from './slotSegments.ts';
import { SLOT_NS } from './slots.ts';

/** Requests in one part, at most. */
const MOST_ROWS = 20_000;
/** Traces whose spans are read together. */
const AT_ONCE = 500;

/** The columns of requests. Of a slot that has changed only requests that are new or have grown are read. */
export const requestSegments: SlotSegments = slotSegments({
  subject: 'request',
  worthSaving: 400,
  build,
});

async function build(slot: Slot, former: readonly Segment[], keep: (part: Segment) => void): Promise<number> {
  const from = BigInt(slot.slot) * SLOT_NS;
  const reusable = new Map<string, { readonly segment: Segment; readonly row: number; readonly head: RequestHead }>();
  for (const segment of former)
    for (let row = 0; row < segment.rows; row++) {
      const head = headAt(segment, row, from);
      reusable.set(head.traceId, { segment, row, head });
    }
  const rows = await traceRowsOf(slot, from);
  const operation = await operationsOf(rows.map((row) => row.rootOperationId));
  let writer = new RequestSegmentWriter(from);
  let read = 0;
  let isKept = false;
  const finish = () => {
    keep(writer.finish());
    isKept = true;
    writer = new RequestSegmentWriter(from);
  };
  for (let at = 0; at < rows.length; at += AT_ONCE) {
    const some = rows.slice(at, at + AT_ONCE);
    const isSame = (row: (typeof rows)[number]) => {
      const known = reusable.get(row.traceId)?.head;
      return known?.spanCount === row.spanCount && known.startNs === row.startNs;
    };
    const unread = some.filter((row) => !isSame(row));
    read += unread.length;
    const spans = new Map((await readTraces(unread, readSpan)).map((of, index) => [unread[index].traceId, of]));
    for (const row of some) {
      const of = spans.get(row.traceId);
      if (of) {
        const { service, name, kind } = operation(row.rootOperationId);
        writer.add(
          requestRow(
            { ...row, entry: { service, name, kind: SPAN_KINDS[kind] }, user: row.userRef, session: row.sessionRef },
            of,
          ),
        );
      } else {
        const { segment, row: index } = reusable.get(row.traceId)!;
        writer.copy(segment, index);
      }
      if (writer.rows >= MOST_ROWS) finish();
    }
  }
  if (writer.rows > 0 || !isKept) finish();
  return read;
}

function traceRowsOf({ day }: Slot, from: bigint) {
  return database()
    .select({
      day: trace.day,
      traceId: trace.traceId,
      startNs: trace.startNs,
      rootStartNs: trace.rootStartNs,
      durationNs: trace.durationNs,
      rootFound: trace.rootFound,
      rootFailed: trace.rootFailed,
      failedSpanCount: trace.failedSpanCount,
      spanCount: trace.spanCount,
      rootOperationId: trace.rootOperationId,
      userRef: trace.userRef,
      sessionRef: trace.sessionRef,
      blocks: trace.blocks,
    })
    .from(trace)
    .where(sql`${trace.day} = ${day} AND ${trace.startNs} >= ${from} AND ${trace.startNs} < ${from + SLOT_NS}`)
    .orderBy(trace.startNs, trace.traceId);
}
