import { inArray, sql } from 'drizzle-orm';
import { LRUCache } from 'lru-cache';
import { hexAt, numbersOf, type Segment } from '../../core/columns/segment.ts';
import { matchRows, type Narrowing, NO, UNSURE, YES } from '../../core/requests/matchRows.ts';
import { ID, START } from '../../core/requests/requestColumns.ts';
import { requestFits } from '../../core/requests/requestFits.ts';
import { outlineSpan } from '../../formats/otlp/span/spanOutline.ts';
import { readTraces } from '../blocks/readTrace.ts';
import { requestSegments } from '../columns/requestSegments.ts';
import type { SegmentRange, SegmentReading, StoredSegment } from '../columns/slotSegments.ts';
import { database } from '../database/connection.ts';
import { trace } from '../schema/index.ts';
import { beginReading } from '../scope/progress.ts';

/** Requests of which columns do not tell whether they fit, and whose spans are read to find out, at most; the latest. */
export const MOST_READ = 20_000;
/** Traces whose spans are read together. */
const AT_ONCE = 400;

/** Rows of a segment that fit. */
export interface MatchingRows extends StoredSegment {
  /** Indices of the rows, ascending. */
  readonly rows: Uint32Array;
}

/** How far the reading of a scope is, and whether it covers all. */
export interface MatchWork {
  /** Ends the work at the next point at which that is possible. */
  readonly signal?: AbortSignal;
  /** Milliseconds that may be spent on columns that are not current; what is left of them is passed over. */
  readonly buildMs?: number;
  /** How many of how many stretches of time are done. */
  readonly onProgress?: (done: number, of: number) => void;
  /** What is read: all requests by default. */
  readonly segments?: SegmentReading;
  /** Called for each stretch whose columns are not current: nothing of it is read. Without this, its older columns are read. */
  readonly onLeftOut?: (from: bigint, to: bigint) => void;
}

/** A question waits no longer than this for columns that are not current. */
const BUILD_MS = 1_500;

export interface MatchResult {
  /** Requests whose spans would have to be read beyond `MOST_READ`. They are left out, whatever the conditions say. */
  readonly unread: number;
  /** Stretches of ten minutes whose columns are still being built: requests that came or grew since they were built last are left out. */
  readonly building: number;
}

/** Marks that are remembered, a byte a request. */
const MOST_MARKS = 24 * 2 ** 20;
const marksOf = new LRUCache<string, Uint8Array>({ maxSize: MOST_MARKS, sizeCalculation: (it) => it.length + 64 });

/**
 * Goes through the requests that began in a stretch of time and fit a narrowing, the latest slot first. Every request that is visited fits;
 * those left out for want of reading are counted. What was found of a segment is remembered, so that the parts of a page read it once.
 */
export async function eachMatching(
  range: SegmentRange,
  narrowing: Narrowing,
  visit: (found: MatchingRows) => void,
  { signal, onProgress, buildMs = BUILD_MS, segments = requestSegments, onLeftOut }: MatchWork = {},
): Promise<MatchResult> {
  const asked = JSON.stringify(narrowing);
  let read = 0;
  let unread = 0;
  let building = 0;
  const onPassedOver = (from: bigint, to: bigint) => {
    if (onLeftOut) onLeftOut(from, to);
    else building++;
  };
  const report = beginReading();
  const tell = (done: number, of: number) => {
    onProgress?.(done, of);
    report(done, of);
  };
  const work = { buildMs, onPassedOver, onProgress: tell, isOnlyCurrent: onLeftOut !== undefined };
  for await (const found of segments.read(range, work)) {
    signal?.throwIfAborted();
    const key = `${found.key} ${asked}`;
    const marks = marksOf.get(key) ?? matchRows(found.segment, narrowing);
    // What is found out later is noted in the same marks.
    marksOf.set(key, marks);
    const unsure = rowsOf(marks, found, range, UNSURE);
    const some = unsure.subarray(Math.max(0, unsure.length - (MOST_READ - read)));
    if (some.length > 0) await readUnsure(found.segment, marks, some, narrowing, signal);
    read += some.length;
    unread += unsure.length - some.length;
    const rows = rowsOf(marks, found, range, YES);
    if (rows.length > 0) visit({ ...found, rows });
  }
  return { unread, building };
}

/** The rows that have a mark and began in a stretch of time. */
function rowsOf(marks: Uint8Array, { segment, from }: StoredSegment, range: SegmentRange, mark: number): Uint32Array {
  const starts = numbersOf(segment, START);
  const first = range.from === undefined ? 0 : Number(range.from - from);
  const end = range.to === undefined ? Number.POSITIVE_INFINITY : Number(range.to - from);
  const rows = new Uint32Array(marks.length);
  let count = 0;
  for (let row = 0; row < marks.length; row++)
    if (marks[row] === mark && starts[row] >= first && starts[row] < end) rows[count++] = row;
  return rows.subarray(0, count);
}

/** Finds out about rows by their spans, and marks them. */
async function readUnsure(
  segment: Segment,
  marks: Uint8Array,
  rows: Uint32Array,
  narrowing: Narrowing,
  signal: AbortSignal | undefined,
): Promise<void> {
  const ids = segment.column(ID);
  if (ids?.type !== 'bytes') return;
  const rowOf = new Map(Array.from(rows, (row) => [hexAt(ids, row), row]));
  const all = [...rowOf.keys()];
  for (let at = 0; at < all.length; at += AT_ONCE) {
    signal?.throwIfAborted();
    const located = await database()
      .select({ day: trace.day, traceId: trace.traceId, blocks: trace.blocks })
      .from(trace)
      .where(inArray(trace.traceId, all.slice(at, at + AT_ONCE)))
      .orderBy(sql`${trace.blocks}[1]`);
    const spans = await readTraces(located, outlineSpan);
    for (const [index, { traceId }] of located.entries())
      marks[rowOf.get(traceId)!] = requestFits(spans[index], narrowing) ? YES : NO;
  }
  // A trace that has been dropped meanwhile fits nothing any more.
  for (const row of rows) if (marks[row] === UNSURE) marks[row] = NO;
}
