import { LRUCache } from 'lru-cache';
import { codesOf, numbersOf } from '../../core/columns/segment.ts';
import { LEFT_OUT, TIME } from '../../core/logs/logColumns.ts';
import { isOfRequests, type LineContext, type LineQuery, matchLines } from '../../core/logs/matchLines.ts';
import { ID } from '../../core/requests/requestColumns.ts';
import type { Condition } from '../../core/scope/condition.ts';
import { logSegments } from '../columns/logSegments.ts';
import type { StoredSegment } from '../columns/slotSegments.ts';
import { eachRequest } from '../requests/requestScope.ts';
import { beginReading } from '../scope/progress.ts';
import { type StoredShapes, storedShapes } from './shapes.ts';

/** Lines of a stretch of time, epoch nanoseconds, from inclusive, to exclusive. */
export interface LineScope extends LineQuery {
  readonly from: bigint;
  readonly to: bigint;
}

/** Lines of a segment that fit. */
export interface FoundLines extends StoredSegment {
  /** Indices of the rows, ascending, which is the order of time. */
  readonly rows: Uint32Array;
}

/** What the lines that were visited leave out. */
export interface LinesRead {
  readonly shapes: StoredShapes;
  /** Stretches of ten minutes whose columns are still being built. */
  readonly building: number;
  /** Records that could not be brought in order. */
  readonly leftOut: number;
}

export interface LineWork {
  readonly signal?: AbortSignal;
  readonly buildMs?: number;
  readonly onProgress?: (done: number, of: number) => void;
  /** Called before the first segment. */
  readonly onShapes?: (shapes: StoredShapes) => void;
}

/** A question waits no longer than this for columns that are not current. */
const BUILD_MS = 2_500;
/** A line may be written long after its request began. */
const EARLIER_NS = 600_000_000_000n;
/** Requests whose lines are looked for by a condition on requests, at most. */
const MOST_TRACES = 2_000_000;

const MOST_MARKS = 32 * 2 ** 20;
const marksOf = new LRUCache<string, Uint8Array>({ maxSize: MOST_MARKS, sizeCalculation: (it) => it.length + 64 });

/** Goes through the lines of a scope, the latest slot first. Stops when `visit` says false. */
export async function eachLine(
  scope: LineScope,
  visit: (found: FoundLines) => boolean | undefined,
  work: LineWork = {},
): Promise<LinesRead> {
  const { signal, buildMs = BUILD_MS, onProgress, onShapes } = work;
  const { from, to, ...query } = scope;
  const traces = await tracesThatFit(scope, signal);
  let shapes = await storedShapes();
  onShapes?.(shapes);
  const context = lineContext(traces, () => shapes);
  const asked = JSON.stringify({ ...query, text: { ...query.text, pattern: null } });
  // What requests fit changes while they come in; a pattern has no text to be known by here.
  const isRemembered = traces.size === 0 && query.text.pattern === null;
  let building = 0;
  let leftOut = 0;
  const report = beginReading();
  const tell = (done: number, of: number) => {
    onProgress?.(done, of);
    report(done, of);
  };
  for await (const found of logSegments.read({ from, to }, { buildMs, onPassedOver: () => building++, onProgress: tell })) {
    signal?.throwIfAborted();
    // Building columns finds new shapes.
    if (found.segment.rows > 0) shapes = await freshShapes(shapes, found, onShapes);
    if (found.segment.column(LEFT_OUT)) for (const records of codesOf(found.segment, LEFT_OUT).values) leftOut += records;
    const key = `${found.key} ${shapes.version} ${asked}`;
    const segment = shapes.counts.tellApart(found.segment);
    const marks = (isRemembered && marksOf.get(key)) || matchLines(segment, query, context);
    if (isRemembered) marksOf.set(key, marks);
    const rows = rowsOf(marks, found, from, to);
    if (rows.length > 0 && visit({ ...found, segment, rows }) === false) break;
  }
  return { shapes, building, leftOut };
}

/** By condition that requests are asked for too, the traces of those that fit. */
type FittingTraces = ReadonlyMap<Condition, ReadonlySet<number>>;

export async function tracesThatFit({ where, from, to }: LineScope, signal?: AbortSignal): Promise<FittingTraces> {
  const traces = new Map<Condition, ReadonlySet<number>>();
  for (const condition of where) if (isOfRequests(condition)) traces.set(condition, await tracesOf(condition, from, to, signal));
  return traces;
}

/** What lines are matched with. @param shapes as they are when it is asked */
export function lineContext(traces: FittingTraces, shapes: () => StoredShapes): LineContext {
  return {
    templateOf: (id) => shapes().counts.own(id),
    countedAs: (id) => shapes().counts.countedAs(id),
    requestFits: (condition) => {
      const fitting = traces.get(condition);
      return fitting && ((trace) => fitting.has(trace));
    },
  };
}

/** The shapes, read again when a segment has one that is not known. */
async function freshShapes(
  known: StoredShapes,
  { segment }: StoredSegment,
  onShapes: LineWork['onShapes'],
): Promise<StoredShapes> {
  const column = segment.column('shape');
  if (column?.type !== 'codes' || column.texts.every((id) => known.shapes.has(id))) return known;
  const fresh = await storedShapes();
  onShapes?.(fresh);
  return fresh;
}

function rowsOf(marks: Uint8Array, { segment, from: start }: StoredSegment, from: bigint, to: bigint): Uint32Array {
  const times = numbersOf(segment, TIME);
  const first = Number(from - start);
  const end = Number(to - start);
  const rows = new Uint32Array(marks.length);
  let count = 0;
  for (let row = 0; row < marks.length; row++)
    if (marks[row] === 1 && times[row] >= first && times[row] < end) rows[count++] = row;
  return rows.subarray(0, count);
}

/** The traces, by their first 48 bits, of requests that fit a condition. */
async function tracesOf(condition: Condition, from: bigint, to: bigint, signal: AbortSignal | undefined): Promise<Set<number>> {
  const traces = new Set<number>();
  await eachRequest(
    { from: from - EARLIER_NS, to, where: [condition] },
    ({ segment, rows }) => {
      const ids = segment.column(ID);
      if (ids?.type !== 'bytes' || traces.size >= MOST_TRACES) return;
      for (const row of rows) {
        let number = 0;
        for (let at = 0; at < 6; at++) number = number * 256 + ids.values[row * ids.width + at];
        traces.add(number);
      }
    },
    { signal },
  );
  return traces;
}
