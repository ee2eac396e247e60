import type pg from 'pg';
import { VarintWriter } from '../../core/measures/varint.ts';
import { epochNanosText, minuteTimeOf } from '../../core/time/minuteTime.ts';
import { type Cell, type Copy, cellText, hexOf } from '../database/copyRows.ts';
import type { AssignedSpans } from './assignDays.ts';
import { FAILED, HAS_PARENT, type SpanColumns } from './spanColumns.ts';
import { UnmatchedCalls } from './unmatchedCalls.ts';

/** A row of `trace` while its spans are being written. */
export interface TraceRow {
  readonly day: number;
  readonly traceId: string;
  /** Minutes since 1970-01-01, and nanoseconds since that minute. */
  startMinute: number;
  startNs: number;
  spanCount: number;
  failedSpanCount: number;
  operationIds: number[];
  rootFound: boolean;
  /** When the root began, in the same way. */
  rootMinute: number;
  rootNs: number;
  rootSpanId: string;
  rootOperationId: number;
  rootFailed: boolean;
  durationNs: number;
  userRef: string | null;
  sessionRef: string | null;
  /** Each once, in no order. */
  readonly facetIds: number[];
  blocks: number[];
  /** Hex of the last four bytes of each span's id, one after the other. */
  spanKeys: string;
  readonly unmatchedCalls: UnmatchedCalls;
}

/** The row of a trace of which no span has come yet. */
export function emptyRow(day: number, traceId: string): TraceRow {
  return {
    day,
    traceId,
    startMinute: 0,
    startNs: 0,
    spanCount: 0,
    failedSpanCount: 0,
    operationIds: [],
    rootFound: false,
    rootMinute: 0,
    rootNs: 0,
    rootSpanId: '',
    rootOperationId: 0,
    rootFailed: false,
    durationNs: 0,
    userRef: null,
    sessionRef: null,
    facetIds: [],
    blocks: [],
    spanKeys: '',
    unmatchedCalls: new UnmatchedCalls(day),
  };
}

/** Adds spans of a trace to its row, all but its blocks and ends. @param order places of spans, those of the trace from `from` to `to` */
export function addSpans(row: TraceRow, spans: AssignedSpans, order: Uint32Array, from: number, to: number): void {
  const { columns, operationIds, resourceFacetIds } = spans;
  const { attributes, attributesEnd } = columns;
  const trace = columns.trace[order[from]];
  row.userRef ??= columns.users[trace];
  row.sessionRef ??= columns.sessions[trace];
  const keys = Buffer.allocUnsafe(KEY_BYTES * (to - from));
  const seen = nextStamp();
  for (const id of row.facetIds) isFirst(id, seen);
  let origin = -1;
  for (let index = from; index < to; index++) {
    const at = order[index];
    const isFailed = (columns.flags[at] & FAILED) !== 0;
    const operationId = operationIds[columns.operation[at]];
    const minute = columns.minute[at];
    const ns = columns.ns[at];
    if (row.spanCount === 0 || isBefore(minute, ns, row.startMinute, row.startNs)) {
      row.startMinute = minute;
      row.startNs = ns;
    }
    if (isBetterRoot(columns, at, row)) {
      row.rootFound = (columns.flags[at] & HAS_PARENT) === 0;
      row.rootMinute = minute;
      row.rootNs = ns;
      row.rootSpanId = spanIdOf(columns, at);
      row.rootOperationId = operationId;
      row.rootFailed = isFailed;
      row.durationNs = columns.durationNs[at];
    }
    row.spanCount++;
    if (isFailed) row.failedSpanCount++;
    if (!row.operationIds.includes(operationId)) row.operationIds.push(operationId);
    keys.writeUInt32BE(columns.idLow[at], KEY_BYTES * (index - from));
    for (let attribute = at === 0 ? 0 : attributesEnd[at - 1]; attribute < attributesEnd[at]; attribute++) {
      const id = attributes[attribute].facetId;
      if (id > 0 && isFirst(id, seen)) row.facetIds.push(id);
    }
    // All spans of a service come one after the other.
    if (columns.origin[at] !== origin) {
      origin = columns.origin[at];
      for (const id of resourceFacetIds[origin]) if (isFirst(id, seen)) row.facetIds.push(id);
    }
  }
  row.spanKeys += keys.toString('hex');
}

const KEY_BYTES = 4;

/** Whether a time comes before another. */
function isBefore(minute: number, ns: number, thanMinute: number, thanNs: number): boolean {
  return minute === thanMinute ? ns < thanNs : minute < thanMinute;
}

/** Whether a span rather than the one that stands there is a trace's root: one without a parent, the earliest, the least id. */
function isBetterRoot(columns: SpanColumns, at: number, row: TraceRow): boolean {
  if (row.spanCount === 0) return true;
  const isFound = (columns.flags[at] & HAS_PARENT) === 0;
  if (isFound !== row.rootFound) return isFound;
  const minute = columns.minute[at];
  const ns = columns.ns[at];
  if (minute !== row.rootMinute || ns !== row.rootNs) return isBefore(minute, ns, row.rootMinute, row.rootNs);
  return spanIdOf(columns, at) < row.rootSpanId;
}

const ID = Buffer.alloc(8);

/** Hex. */
export function spanIdOf({ idHigh, idLow }: SpanColumns, at: number): string {
  ID.writeUInt32BE(idHigh[at], 0);
  ID.writeUInt32BE(idLow[at], 4);
  return ID.toString('hex');
}

/** Of each facet the last trace in which it was met, by number; ids come from a sequence, and are small. */
let stamps = new Uint32Array(4096);
let stamp = 0;

function nextStamp(): number {
  if (stamp === 2 ** 32 - 1) {
    stamps.fill(0);
    stamp = 0;
  }
  return ++stamp;
}

/** Whether a facet is met for the first time since a stamp was taken. */
function isFirst(id: number, seen: number): boolean {
  if (id >= stamps.length) {
    const larger = new Uint32Array(2 ** Math.ceil(Math.log2(id + 1)));
    larger.set(stamps);
    stamps = larger;
  }
  if (stamps[id] === seen) return false;
  stamps[id] = seen;
  return true;
}

interface StoredRow {
  readonly day: number;
  readonly trace_id: Buffer;
  readonly start_ns: string;
  readonly span_count: number;
  readonly failed_span_count: number;
  readonly operation_ids: number[];
  readonly root_found: boolean;
  readonly root_start_ns: string;
  readonly root_span_id: Buffer;
  readonly root_operation_id: number;
  readonly root_failed: boolean;
  readonly duration_ns: string;
  readonly user_ref: string | null;
  readonly session_ref: string | null;
  readonly facet_ids: number[];
  readonly blocks: string[];
  readonly span_keys: Buffer;
  readonly unmatched_calls: Buffer;
}

/** The rows of these traces on these days, locked until the transaction ends. @param ids hex, in ascending order */
export async function lockTraces(client: pg.PoolClient, ids: readonly string[], days: readonly number[]): Promise<TraceRow[]> {
  const { rows } = await client.query<StoredRow>({
    name: `lock traces ${days.length}`,
    text: 'SELECT * FROM trace WHERE trace_id = ANY($1::bytea[]) AND day = ANY($2::int[]) ORDER BY trace_id, day FOR UPDATE',
    values: [ids.map((id) => `\\x${id}`), days],
  });
  return rows.map((row) => {
    const start = minuteTimeOf(BigInt(row.start_ns));
    const rootStart = minuteTimeOf(BigInt(row.root_start_ns));
    return {
      day: row.day,
      traceId: row.trace_id.toString('hex'),
      startMinute: start.minute,
      startNs: start.ns,
      spanCount: row.span_count,
      failedSpanCount: row.failed_span_count,
      operationIds: row.operation_ids,
      rootFound: row.root_found,
      rootMinute: rootStart.minute,
      rootNs: rootStart.ns,
      rootSpanId: row.root_span_id.toString('hex'),
      rootOperationId: row.root_operation_id,
      rootFailed: row.root_failed,
      durationNs: Number(row.duration_ns),
      userRef: row.user_ref,
      sessionRef: row.session_ref,
      facetIds: row.facet_ids,
      blocks: row.blocks.map(Number),
      spanKeys: row.span_keys.toString('hex'),
      unmatchedCalls: new UnmatchedCalls(row.day, row.unmatched_calls),
    };
  });
}

/** Columns of `trace`, with the type that each array of values is read as, and what the values of an array are turned into. */
const COLUMNS: readonly (readonly [name: string, type: string, value: (row: TraceRow) => Cell, turned?: string])[] = [
  ['day', 'int', (row) => row.day],
  ['trace_id', 'bytea', (row) => Buffer.from(row.traceId, 'hex')],
  ['start_ns', 'bigint', (row) => epochNanosText(row.startMinute, row.startNs)],
  ['span_count', 'int', (row) => row.spanCount],
  ['failed_span_count', 'int', (row) => row.failedSpanCount],
  // An array of arrays must be rectangular: each goes over as text.
  ['operation_ids', 'text', (row) => row.operationIds.sort((a, b) => a - b), 'int[]'],
  ['root_found', 'boolean', (row) => row.rootFound],
  ['root_start_ns', 'bigint', (row) => epochNanosText(row.rootMinute, row.rootNs)],
  ['root_span_id', 'bytea', (row) => Buffer.from(row.rootSpanId, 'hex')],
  ['root_operation_id', 'int', (row) => row.rootOperationId],
  ['root_failed', 'boolean', (row) => row.rootFailed],
  ['duration_ns', 'bigint', (row) => row.durationNs],
  ['user_ref', 'text', (row) => row.userRef],
  ['session_ref', 'text', (row) => row.sessionRef],
  ['facet_ids', 'text', (row) => row.facetIds, 'int[]'],
  ['blocks', 'text', (row) => row.blocks, 'bigint[]'],
  ['span_keys', 'bytea', (row) => Buffer.from(row.spanKeys, 'hex')],
  ['unmatched_calls', 'bytea', (row) => row.unmatchedCalls.encode()],
];

const NAMES = COLUMNS.map(([name]) => name);
const ARRIVED = `unnest(${COLUMNS.map(([, type], at) => `$${at + 1}::${type}[]`).join(', ')}) AS arrived(${NAMES.join(', ')})`;
const VALUES = COLUMNS.map(([name, , , turned]) => (turned ? `arrived.${name}::${turned}` : `arrived.${name}`));
const UPDATE = `UPDATE trace SET ${NAMES.slice(2)
  .map((name, at) => `${name} = ${VALUES[at + 2]}`)
  .join(', ')} FROM ${ARRIVED} WHERE trace.trace_id = arrived.trace_id AND trace.day = arrived.day`;

/** The cells of a row, in the order of the columns. */
export function traceCells(row: TraceRow): Cell[] {
  return COLUMNS.map(([, , value]) => value(row));
}

/**
 * A row for `newTraceRows`: the columns in their order, as `copyLine` writes `traceCells`. Rows come by the thousand, and are written
 * without what stands between.
 */
export function traceLine(row: TraceRow): string {
  ENDS.clear();
  row.unmatchedCalls.encodeInto(ENDS);
  return (
    `${row.day}\t${bytes(row.traceId)}${epochNanosText(row.startMinute, row.startNs)}\t${row.spanCount}\t${row.failedSpanCount}\t` +
    `${numbers(row.operationIds.sort((a, b) => a - b))}${row.rootFound}\t${epochNanosText(row.rootMinute, row.rootNs)}\t${bytes(row.rootSpanId)}` +
    `${row.rootOperationId}\t${row.rootFailed}\t${row.durationNs}\t${cellText(row.userRef)}\t${cellText(row.sessionRef)}\t` +
    `${numbers(row.facetIds)}${numbers(row.blocks)}${bytes(row.spanKeys)}` +
    `\\\\x${hexOf(ENDS)}\n`
  );
}

const ENDS = new VarintWriter();

function bytes(hex: string): string {
  return `\\\\x${hex}\t`;
}

function numbers(list: readonly number[]): string {
  return `{${list.join(',')}}\t`;
}

/** Rows for COPY. To add them fails as a whole, with PostgreSQL's unique violation, when someone else has added one of them meanwhile. */
export function newTraceRows(lines: readonly string[]): Copy {
  return { table: 'trace', columns: NAMES, rows: lines.join('') };
}

/** Writes rows that are locked by this transaction. */
export async function updateTraces(client: pg.PoolClient, rows: readonly TraceRow[]): Promise<void> {
  if (rows.length === 0) return;
  const values = COLUMNS.map(([, , value]) => rows.map((row) => asElement(value(row))));
  await client.query({ name: 'update traces', text: UPDATE, values });
}

function asElement(cell: Cell): string | number | boolean | null {
  if (cell instanceof Uint8Array) return `\\x${Buffer.from(cell).toString('hex')}`;
  if (typeof cell === 'bigint') return String(cell);
  return typeof cell === 'object' && cell !== null ? `{${cell.join(',')}}` : cell;
}
