import { and, gte, lt, sql } from 'drizzle-orm';
import { LRUCache } from 'lru-cache';
import { codesOf, type Numbers, numbersOf, type Segment } from '../../core/columns/segment.ts';
import { isLine } from '../../core/logs/isLine.ts';
import { BLOCK, LogSegmentWriter, TIME } from '../../core/logs/logColumns.ts';
import { type LogRow, lineAttributes, lineText, traceNumber } from '../../core/logs/logRow.ts';
import type { Matched } from '../../core/logs/shapeTree.ts';
import type { Template } from '../../core/logs/template.ts';
import { KnownOrigins } from '../../formats/otlp/attributes/knownOrigins.ts';
import { readLog, readLogHead } from '../../formats/otlp/record/logRecord.ts';
import type { TelemetryRequest } from '../../formats/otlp/wire/request.ts';
import { blocksOf } from '../blocks/unpackBlocks.ts';
import { database } from '../database/connection.ts';
import { shapesOf, storedShapes } from '../logs/shapes.ts';
import { logBlock } from '../schema/index.ts';
import { type Slot, type SlotSegments, slotSegments } from './slotSegments.ts';
import { SLOT_NS } from './slots.ts';

/** Lines in one part, at most. */
const MOST_ROWS = 40_000;
/** Blocks that are read together, 512 records each at most. */
const AT_ONCE = 64;
/** Lines, and characters of their texts, that are held until all that came before them is read. Only senders whose requests span minutes need many. */
const MOST_HELD = 300_000;
const MOST_HELD_TEXT = 96 * 2 ** 20;

/** The columns of log lines. Of a slot that has changed only blocks that are new are read. */
export const logSegments: SlotSegments = slotSegments({ subject: 'log', worthSaving: 2_000, build });

/** Blocks that have no line in a slot: not to be read again each time that the slot grows. */
const withoutLines = new LRUCache<string, true>({ max: 50_000 });

/** A line with its shape, on its way into a segment. */
interface Held {
  readonly row: LogRow;
  readonly matched: Matched;
}

/**
 * Builds the lines of a slot, in order of time. Blocks are read by when they begin, and what lies before the next one is written: memory
 * does not grow with the lines.
 */
async function build({ day, slot }: Slot, former: readonly Segment[], keep: (part: Segment) => void): Promise<number> {
  const from = BigInt(slot) * SLOT_NS;
  const known = new Set(former.flatMap((segment) => codesOf(segment, BLOCK).texts));
  const blocks = await database()
    .select({ id: logBlock.blockId, firstNs: logBlock.firstNs, records: logBlock.records })
    .from(logBlock)
    .where(and(sql`${logBlock.day} = ${day}`, gte(logBlock.lastNs, from), lt(logBlock.firstNs, from + SLOT_NS)))
    .orderBy(logBlock.firstNs, logBlock.blockId);
  const unread = blocks.filter(({ id }) => !known.has(String(id)) && !withoutLines.has(`${slot} ${id}`));
  const { counts } = await storedShapes();
  const parts = new PartWriter(former, keep, (id) => counts.own(id));
  const origins = new KnownOrigins();
  let held: Held[] = [];
  let text = 0;
  let read = 0;
  for (let at = 0; at < unread.length; at += AT_ONCE) {
    const rows: LogRow[] = [];
    const ids = unread.slice(at, at + AT_ONCE).map(({ id }) => id);
    for await (const { id, request } of blocksOf(logBlock, day, ids)) {
      const before = rows.length;
      addLines(rows, id, request, from, from + SLOT_NS, origins);
      if (rows.length === before) withoutLines.set(`${slot} ${id}`, true);
    }
    const matched = await shapesOf(rows.map((row) => ({ text: row.text, timeNs: from + BigInt(row.time) })));
    for (const [index, row] of rows.entries()) {
      held.push({ row, matched: matched[index] });
      text += row.text.length;
    }
    read += rows.length;
    const rest = unread.slice(at + AT_ONCE);
    if (rest.length === 0) break;
    const until = Number(rest[0].firstNs - from);
    held = parts.write(held, until);
    text = held.reduce((sum, { row }) => sum + row.text.length, 0);
    if (held.length > MOST_HELD || text > MOST_HELD_TEXT) {
      // They are read the next time that the slot changes.
      parts.leaveOut(rest.reduce((sum, { records }) => sum + records, 0));
      break;
    }
  }
  parts.write(held, Number.POSITIVE_INFINITY);
  parts.finish();
  return read;
}

/** Writes new lines and those of former parts as one order of time. */
class PartWriter {
  readonly #keep: (part: Segment) => void;
  readonly #former: readonly { readonly segment: Segment; readonly times: Numbers }[];
  #part = 0;
  #row = 0;
  readonly #templateOf: (id: string) => Template | undefined;
  #writer: LogSegmentWriter;
  #isKept = false;

  constructor(former: readonly Segment[], keep: (part: Segment) => void, templateOf: (id: string) => Template | undefined) {
    this.#keep = keep;
    this.#templateOf = templateOf;
    this.#writer = new LogSegmentWriter(templateOf);
    this.#former = former.map((segment) => ({ segment, times: numbersOf(segment, TIME) }));
  }

  /** Writes what lies before a moment. @returns the others */
  write(held: readonly Held[], until: number): Held[] {
    // Of one moment: as they came.
    const due = held.filter(({ row }) => row.time < until).sort((a, b) => a.row.time - b.row.time);
    for (const { row, matched } of due) {
      this.#copyFormer(row.time);
      this.#writer.add(row, matched);
      this.#close();
    }
    this.#copyFormer(until);
    return due.length === held.length ? [] : held.filter(({ row }) => row.time >= until);
  }

  #copyFormer(until: number): void {
    for (; this.#part < this.#former.length; this.#part++, this.#row = 0) {
      const { segment, times } = this.#former[this.#part];
      for (; this.#row < segment.rows; this.#row++) {
        if (times[this.#row] > until) return;
        this.#writer.copy(segment, this.#row);
        this.#close();
      }
    }
  }

  #close(): void {
    if (this.#writer.rows < MOST_ROWS) return;
    this.#keep(this.#writer.finish());
    this.#isKept = true;
    this.#writer = new LogSegmentWriter(this.#templateOf);
  }

  leaveOut(records: number): void {
    this.#writer.leaveOut(records);
  }

  finish(): void {
    if (this.#writer.rows > 0 || !this.#isKept) this.#keep(this.#writer.finish());
  }
}

/** Adds the lines of a block that lie in a stretch of time; their times count from its beginning. */
export function addLines(
  into: LogRow[],
  block: number,
  { groups }: TelemetryRequest,
  from: bigint,
  to: bigint,
  origins: KnownOrigins,
): void {
  let index = -1;
  for (const { resource: bytes, records } of groups) {
    const resource = origins.resource(bytes);
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
