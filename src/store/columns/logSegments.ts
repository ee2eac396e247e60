import { and, gte, lt, sql } from 'drizzle-orm';
import { LRUCache } from 'lru-cache';
import { codesOf, numbersOf, type Segment } from '../../core/columns/segment.ts';
import { isLine } from '../../core/logs/isLine.ts';
import { BLOCK, LogSegmentWriter, TIME } from '../../core/logs/logColumns.ts';
import { type LogRow, lineAttributes, lineText, traceNumber } from '../../core/logs/logRow.ts';
import { readResource } from '../../formats/otlp/attributes/attributes.ts';
import { readLog, readLogHead } from '../../formats/otlp/record/logRecord.ts';
import type { TelemetryRequest } from '../../formats/otlp/wire/request.ts';
import { blocksOf } from '../blocks/unpackBlocks.ts';
import { database } from '../database/connection.ts';
import { shapesOf } from '../logs/shapes.ts';
import { logBlock } from '../schema/index.ts';
import { type Slot, type SlotSegments, slotSegments } from './slotSegments.ts';
import { SLOT_NS } from './slots.ts';

/** Lines in one part, at most. */
const MOST_ROWS = 40_000;
/** Lines whose shapes are found together. */
const AT_ONCE = 20_000;

/** The columns of log lines. Of a slot that has changed only blocks that are new are read. */
export const logSegments: SlotSegments = slotSegments({ subject: 'log', mostMemory: 96 * 2 ** 20, worthSaving: 2_000, build });

/** Blocks that have no line in a slot: not to be read again each time that the slot grows. */
const withoutLines = new LRUCache<string, true>({ max: 50_000 });

async function build({ day, slot }: Slot, former: readonly Segment[], keep: (part: Segment) => void): Promise<number> {
  const from = BigInt(slot) * SLOT_NS;
  const known = new Set(former.flatMap((segment) => codesOf(segment, BLOCK).texts));
  const blocks = await database()
    .select({ id: logBlock.blockId })
    .from(logBlock)
    .where(and(sql`${logBlock.day} = ${day}`, gte(logBlock.lastNs, from), lt(logBlock.firstNs, from + SLOT_NS)));
  const unread = blocks.map(({ id }) => id).filter((id) => !known.has(String(id)) && !withoutLines.has(`${slot} ${id}`));
  const rows: LogRow[] = [];
  for await (const { id, request } of blocksOf(logBlock, day, unread)) {
    const before = rows.length;
    addLines(rows, id, request, from, from + SLOT_NS);
    if (rows.length === before) withoutLines.set(`${slot} ${id}`, true);
  }
  const matched = [];
  for (let at = 0; at < rows.length; at += AT_ONCE) {
    const some = rows.slice(at, at + AT_ONCE);
    matched.push(...(await shapesOf(some.map(({ text, time }) => ({ text, timeNs: from + BigInt(time) })))));
  }
  const order: { readonly time: number; readonly of: Segment | undefined; readonly at: number }[] = rows.map(({ time }, at) => ({
    time,
    of: undefined,
    at,
  }));
  for (const of of former) for (const [at, time] of numbersOf(of, TIME).entries()) order.push({ time, of, at });
  // Of one moment: as they came, and always the same.
  order.sort((a, b) => a.time - b.time);
  let writer = new LogSegmentWriter();
  let isKept = false;
  const finish = () => {
    keep(writer.finish());
    isKept = true;
    writer = new LogSegmentWriter();
  };
  for (const { of, at } of order) {
    if (of) writer.copy(of, at);
    else writer.add(rows[at], matched[at]);
    if (writer.rows >= MOST_ROWS) finish();
  }
  if (writer.rows > 0 || !isKept) finish();
  return rows.length;
}

/** Adds the lines of a block that lie in a stretch of time; their times count from its beginning. */
export function addLines(into: LogRow[], block: number, { groups }: TelemetryRequest, from: bigint, to: bigint): void {
  let index = -1;
  for (const { resource: bytes, records } of groups) {
    const resource = readResource(bytes);
    for (const record of records) {
      index++;
      // Most records of some senders are events, of which the head is enough.
      const { eventName, time } = readLogHead(record);
      if (!isLine(eventName) || time < from || time >= to) continue;
      const log = readLog(record);
      into.push({
        time: Number(log.time - from),
        severity: log.severity,
        service: String(resource['service.name'] ?? 'unknown_service'),
        instance: String(resource['service.instance.id'] ?? ''),
        trace: log.traceId === null ? Number.NaN : traceNumber(log.traceId),
        text: lineText(log.body, log.eventName),
        block,
        index,
        attributes: lineAttributes(log.attributes, resource),
      });
    }
  }
}
