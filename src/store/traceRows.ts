import type pg from 'pg';
import { type Cell, cellText, copyLines } from './copyRows.ts';
import { OpenEnds } from './openEnds.ts';
import type { SpanArrival } from './spanArrival.ts';

/** A row of `trace` while its spans are being written. */
export interface TraceRow {
  readonly day: number;
  readonly traceId: string;
  startNs: bigint;
  spanCount: number;
  failedSpanCount: number;
  operationIds: number[];
  rootFound: boolean;
  rootStartNs: bigint;
  rootSpanId: string;
  rootOperationId: number;
  rootFailed: boolean;
  durationNs: number;
  userRef: string | null;
  sessionRef: string | null;
  readonly facetIds: Set<number>;
  /** Of the resource of the span that came last: all of a service come one after the other. */
  resourceFacetIds: readonly number[];
  blocks: number[];
  /** Hex of the last four bytes of each span's id, one after the other. */
  spanKeys: string;
  readonly openEnds: OpenEnds;
}

/** Brings the row of a trace up to date with a span of it; makes it when there is none. */
export function withSpan(row: TraceRow | undefined, arrival: SpanArrival): TraceRow {
  const { head, day, operationId, facetIds, resourceFacetIds } = arrival;
  const { 'user.id': user, 'enduser.id': endUser = user, 'session.id': session } = head.told;
  const userRef = endUser === undefined ? null : String(endUser);
  const sessionRef = session === undefined ? null : String(session);
  if (!row)
    return {
      day,
      traceId: head.traceId,
      startNs: head.start,
      spanCount: 1,
      failedSpanCount: head.failed ? 1 : 0,
      operationIds: [operationId],
      ...asRoot(arrival),
      userRef,
      sessionRef,
      facetIds: new Set([...facetIds, ...resourceFacetIds]),
      resourceFacetIds,
      blocks: [],
      spanKeys: head.spanId.slice(8),
      openEnds: new OpenEnds(day),
    };
  if (head.start < row.startNs) row.startNs = head.start;
  row.spanCount++;
  if (head.failed) row.failedSpanCount++;
  if (!row.operationIds.includes(operationId)) row.operationIds.push(operationId);
  if (isBetterRoot(head, row)) Object.assign(row, asRoot(arrival));
  row.userRef ??= userRef;
  row.sessionRef ??= sessionRef;
  row.spanKeys += head.spanId.slice(8);
  for (const id of facetIds) row.facetIds.add(id);
  if (row.resourceFacetIds !== resourceFacetIds) {
    row.resourceFacetIds = resourceFacetIds;
    for (const id of resourceFacetIds) row.facetIds.add(id);
  }
  return row;
}

function asRoot({ head, operationId }: SpanArrival) {
  return {
    rootFound: head.parentSpanId === null,
    rootStartNs: head.start,
    rootSpanId: head.spanId as string,
    rootOperationId: operationId,
    rootFailed: head.failed,
    durationNs: head.durationNs,
  };
}

/** Whether a span rather than the one that stands there is a trace's root: one without a parent, the earliest, the least id. */
function isBetterRoot({ parentSpanId, start, spanId }: SpanArrival['head'], row: TraceRow): boolean {
  const isFound = parentSpanId === null;
  if (isFound !== row.rootFound) return isFound;
  if (start !== row.rootStartNs) return start < row.rootStartNs;
  return spanId < row.rootSpanId;
}

const NOT_YET: readonly number[] = [];

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
  readonly open_ends: Buffer;
}

/** The rows of these traces on these days, locked until the transaction ends. @param ids hex, in ascending order */
export async function lockTraces(client: pg.PoolClient, ids: readonly string[], days: readonly number[]): Promise<TraceRow[]> {
  const { rows } = await client.query<StoredRow>({
    name: `lock traces ${days.length}`,
    text: 'SELECT * FROM trace WHERE trace_id = ANY($1::bytea[]) AND day = ANY($2::int[]) ORDER BY trace_id, day FOR UPDATE',
    values: [ids.map((id) => `\\x${id}`), days],
  });
  return rows.map((row) => ({
    day: row.day,
    traceId: row.trace_id.toString('hex'),
    startNs: BigInt(row.start_ns),
    spanCount: row.span_count,
    failedSpanCount: row.failed_span_count,
    operationIds: row.operation_ids,
    rootFound: row.root_found,
    rootStartNs: BigInt(row.root_start_ns),
    rootSpanId: row.root_span_id.toString('hex'),
    rootOperationId: row.root_operation_id,
    rootFailed: row.root_failed,
    durationNs: Number(row.duration_ns),
    userRef: row.user_ref,
    sessionRef: row.session_ref,
    facetIds: new Set(row.facet_ids),
    resourceFacetIds: NOT_YET,
    blocks: row.blocks.map(Number),
    spanKeys: row.span_keys.toString('hex'),
    openEnds: new OpenEnds(row.day, row.open_ends),
  }));
}

/** Columns of `trace`, with the type that each array of values is read as, and what the values of an array are turned into. */
const COLUMNS: readonly (readonly [name: string, type: string, value: (row: TraceRow) => Cell, turned?: string])[] = [
  ['day', 'int', (row) => row.day],
  ['trace_id', 'bytea', (row) => Buffer.from(row.traceId, 'hex')],
  ['start_ns', 'bigint', (row) => row.startNs],
  ['span_count', 'int', (row) => row.spanCount],
  ['failed_span_count', 'int', (row) => row.failedSpanCount],
  // An array of arrays must be rectangular: each goes over as text.
  ['operation_ids', 'text', (row) => row.operationIds.sort((a, b) => a - b), 'int[]'],
  ['root_found', 'boolean', (row) => row.rootFound],
  ['root_start_ns', 'bigint', (row) => row.rootStartNs],
  ['root_span_id', 'bytea', (row) => Buffer.from(row.rootSpanId, 'hex')],
  ['root_operation_id', 'int', (row) => row.rootOperationId],
  ['root_failed', 'boolean', (row) => row.rootFailed],
  ['duration_ns', 'bigint', (row) => row.durationNs],
  ['user_ref', 'text', (row) => row.userRef],
  ['session_ref', 'text', (row) => row.sessionRef],
  ['facet_ids', 'text', (row) => [...row.facetIds].sort((a, b) => a - b), 'int[]'],
  ['blocks', 'text', (row) => row.blocks, 'bigint[]'],
  ['span_keys', 'bytea', (row) => Buffer.from(row.spanKeys, 'hex')],
  ['open_ends', 'bytea', (row) => row.openEnds.encode()],
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
 * A row for `insertTraceLines`: the columns in their order, as `copyLine` writes `traceCells`. Rows come by the thousand, and are written
 * without what stands between.
 */
export function traceLine(row: TraceRow): string {
  const bytes = (hex: string) => `\\\\x${hex}\t`;
  const numbers = (list: readonly number[]) => `{${list.join(',')}}\t`;
  return (
    `${row.day}\t${bytes(row.traceId)}${row.startNs}\t${row.spanCount}\t${row.failedSpanCount}\t` +
    `${numbers(row.operationIds.sort((a, b) => a - b))}${row.rootFound}\t${row.rootStartNs}\t${bytes(row.rootSpanId)}` +
    `${row.rootOperationId}\t${row.rootFailed}\t${row.durationNs}\t${cellText(row.userRef)}\t${cellText(row.sessionRef)}\t` +
    `${numbers([...row.facetIds].sort((a, b) => a - b))}${numbers(row.blocks)}${bytes(row.spanKeys)}` +
    `${cellText(row.openEnds.encode())}\n`
  );
}

/** Adds rows. Fails as a whole, with PostgreSQL's unique violation, when someone else has added one of them meanwhile. */
export async function insertTraceLines(client: pg.PoolClient, lines: readonly string[]): Promise<void> {
  if (lines.length > 0) await copyLines(client, 'trace', NAMES, [lines.join('')]);
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
