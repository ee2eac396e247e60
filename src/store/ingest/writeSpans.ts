import type pg from 'pg';
import { readSpanHead, WantedKeys } from '../../formats/otlp/span/spanHead.ts';
import { blockRows } from '../blocks/packBlocks.ts';
import { blocksOf } from '../blocks/unpackBlocks.ts';
import { markSlots, slotOfMinute, type TouchedSlots, touchSlot } from '../columns/slots.ts';
import { takeLock } from '../database/connection.ts';
import { type Copy, copyRows } from '../database/copyRows.ts';
import { withWriteLock } from '../database/writeLock.ts';
import { CLOCK_OUT_OF_RANGE, reassignDays } from '../retention/days.ts';
import { rollupRows } from '../rollups/rollups.ts';
import { spanBlock } from '../schema/index.ts';
import { assignDays } from './assignDays.ts';
import { callEdgeRows } from './callEdgeRows.ts';
import { type Committed, commitBatch, MOST_TRIES, PreparationStale, type PreparedRequest } from './commitBatch.ts';
import { daysOfSpans, type LayoutChanges, layOutSpans } from './layOutSpans.ts';
import { openSpanRows } from './openSpans.ts';
import type { SpanColumns } from './spanColumns.ts';
import { type LaidOutSpans, type NewTrace, sumUp, traceRows } from './spanSums.ts';
import { lockTraces, newTraceRows, spanIdOf, type TraceRow, updateTraces } from './traceRows.ts';

/** All that can be done for the spans of a request before they are written, without waiting for others. @param hash of its body */
export async function prepareSpans(columns: SpanColumns, hash: string): Promise<LaidOutSpans> {
  const spans = await assignDays(columns);
  return lay({ spans }, hash, 1, {});
}

type Request = PreparedRequest<LaidOutSpans>;

/**
 * Keeps the spans of some requests, all or none: their blocks, the rows of their traces, the rollups of their operations and calls, and
 * the hashes of the bodies, in one transaction that is committed when this returns. A span that is already there (same trace and span
 * id) stays as it is and is not counted again.
 */
export async function writeSpans(requests: readonly Request[]): Promise<Committed[]> {
  // All that does not depend on what is there already is made ready, and written, while others write.
  const prepared = await prepareSpeculatively(await together(requests, 1));
  return withWriteLock((takeWriteLock) =>
    commitBatch(requests, async (client, fresh, attempt) => {
      // A day may have been dropped, or an id of a block been taken, since they were prepared.
      const isPreparationValid = attempt === 1 && fresh.length === requests.length;
      if (isPreparationValid) await copyRows(client, prepared.copies);
      const laidOut = isPreparationValid ? prepared.requests : await together(fresh, attempt);
      // Neighbouring requests have traces in common: two writers at once would undo each other's work. Other processes do not share the lock.
      await takeWriteLock();
      await takeLock(client, 'spans');
      const known = await knownTraces(client, laidOut);
      const kept = await assignHomeDays(fresh, laidOut, known, attempt);
      if (!isPreparationValid) {
        const sums = await prepareSpeculatively(kept);
        await copyRows(client, sums.copies);
        await writeTraces(client, sums, known);
      } else if (kept === laidOut) await writeTraces(client, prepared, known);
      else throw new PreparationStale('some of the spans are there already, or lie on another day');
    }),
  );
}

/** What spans come to as long as nothing is known of their traces. */
interface Prepared {
  readonly requests: readonly LaidOutSpans[];
  /** Their rows in all tables but those of traces and links. */
  readonly copies: readonly Copy[];
  /** Rows of the traces that are likely to be new. */
  readonly likely: TraceCopies;
  /** The other traces. */
  readonly others: readonly NewTrace[];
}

/** Traces that are new to the store, and the rows to write for them. */
interface TraceCopies {
  readonly traces: readonly NewTrace[];
  readonly copies: readonly Copy[];
}

async function prepareSpeculatively(requests: readonly LaidOutSpans[]): Promise<Prepared> {
  const { traces, operationLines, callLines, instanceLines } = sumUp(requests);
  const blocks = requests.flatMap(({ layout }) => layout.blocks);
  const copies = [
    blockRows('span_block', blocks),
    rollupRows('operation_minute', operationLines),
    rollupRows('call_minute', callLines),
    rollupRows('instance_minute', instanceLines),
    ...(await openSpanRows(requests.flatMap(({ spans }) => spans.columns.open))),
  ];
  const likely = await traceCopies(traces.filter(({ hasRoot }) => hasRoot));
  return { requests, copies, likely, others: traces.filter(({ hasRoot }) => !hasRoot) };
}

async function traceCopies(fresh: readonly NewTrace[]): Promise<TraceCopies> {
  const copies = [newTraceRows(fresh.map(({ line }) => line)), await callEdgeRows(fresh.flatMap(({ met }) => met))];
  return { traces: fresh, copies };
}

/** The spans of some requests, those that several of them have once, all of a trace on one day. */
async function together(requests: readonly Request[], attempt: number): Promise<readonly LaidOutSpans[]> {
  const { leftOut, homes } = sharedBy(requests.map(({ prepared }) => prepared));
  return Promise.all(
    requests.map(({ body, prepared }, at) => {
      const isMoved = homes.size > 0 && prepared.spans.columns.traceIds.some((id) => homes.has(id));
      const isTouched = isMoved || leftOut[at].size > 0;
      if (attempt === 1 && !isTouched) return prepared;
      return lay(prepared, body.hash, isTouched ? MOST_TRIES + attempt : attempt, { leftOut: leftOut[at], homes });
    }),
  );
}

async function lay(
  { spans }: Pick<LaidOutSpans, 'spans'>,
  hash: string,
  attempt: number,
  changes: LayoutChanges,
): Promise<LaidOutSpans> {
  const placed = await reassignDays('traces', daysOfSpans(spans.columns));
  return { spans, layout: layOutSpans(spans.columns, placed, hash, attempt, changes) };
}

/** Of each request the spans that one before it has too, and the days of traces that two of them would have on different ones. */
function sharedBy(requests: readonly LaidOutSpans[]): { leftOut: Set<number>[]; homes: Map<string, number> } {
  const leftOut = requests.map(() => new Set<number>());
  const homes = new Map<string, number>();
  if (requests.length === 1) return { leftOut, homes };
  // Each request is without repeats in itself: only traces that two of them have need a look.
  const seenIn = new Map<string, Part[]>();
  for (const [at, request] of requests.entries()) {
    const { columns } = request.spans;
    const before: (readonly Part[] | undefined)[] = [];
    for (let trace = 0; trace < columns.traceIds.length; trace++) {
      const id = columns.traceIds[trace];
      const part = { request, trace };
      const earlier = seenIn.get(id);
      before.push(earlier);
      if (!earlier) seenIn.set(id, [part]);
      else {
        // A list of its own for each that comes later.
        seenIn.set(id, [...earlier, part]);
        const day = earlier[0].request.layout.day[earlier[0].trace];
        if (day !== request.layout.day[trace]) homes.set(id, day);
      }
    }
    for (let span = 0; span < columns.count; span++) {
      const others = before[columns.trace[span]];
      if (others && isIn(others, columns.idHigh[span], columns.idLow[span])) leftOut[at].add(span);
    }
  }
  return { leftOut, homes };
}

/** The spans of a trace that one request has. */
interface Part {
  readonly request: LaidOutSpans;
  readonly trace: number;
}

function isIn(parts: readonly Part[], idHigh: number, idLow: number): boolean {
  for (const { request, trace } of parts) if (request.spans.columns.find(trace, idHigh, idLow) >= 0) return true;
  return false;
}

/** Writes the rows of traces, and the calls of which both ends are known by them. @param known the rows that are there */
async function writeTraces(
  client: pg.PoolClient,
  { requests, likely, others }: Prepared,
  known: ReadonlyMap<string, TraceRow>,
): Promise<void> {
  const isNew = ({ id }: NewTrace) => !known.has(id);
  const slots: TouchedSlots = new Map();
  // Where a trace grows to begin earlier, its columns move to another slot.
  for (const row of known.values()) touchSlot(slots, row.day, slotOfMinute(row.startMinute));
  for (const it of [...likely.traces, ...others]) if (isNew(it)) touchSlot(slots, it.day, it.slot);
  const copies: Copy[] = [];
  const fresh = others.filter(isNew);
  if (likely.traces.every(isNew)) copies.push(...likely.copies);
  else fresh.push(...likely.traces.filter(isNew));
  const grown = known.size > 0 ? traceRows(requests, known, (id) => known.has(id)) : undefined;
  if (grown) {
    const rows = [...grown.rows.keys()].sort().map((id) => grown.rows.get(id)!);
    for (const row of rows) touchSlot(slots, row.day, slotOfMinute(row.startMinute));
    await updateTraces(client, rows);
    copies.push(await callEdgeRows([...grown.metOf.values()].flat()));
  }
  if (fresh.length > 0) copies.push(...(await traceCopies(fresh)).copies);
  await copyRows(client, copies);
  await markSlots(client, 'request', slots);
}

const MINUTES_AN_HOUR = 60;
const MINUTES_A_DAY = 24 * MINUTES_AN_HOUR;
const HOUR_NS = 3_600_000_000_000;
/** A part of a trace finds the parts before it when they began within this time, or end within the other after it. */
const LOOK_BACK = 6 * MINUTES_AN_HOUR;
const LOOK_AHEAD = MINUTES_AN_HOUR;

/** The rows there are of the traces of these spans, by trace; locked. */
async function knownTraces(client: pg.PoolClient, requests: readonly LaidOutSpans[]): Promise<ReadonlyMap<string, TraceRow>> {
  const days = new Set<number>();
  const homes = new Set<number>();
  const ids = new Set<string>();
  let earliest = Number.POSITIVE_INFINITY;
  let latest = Number.NEGATIVE_INFINITY;
  for (const { spans, layout } of requests) {
    const { columns } = spans;
    for (const trace of layout.traces) if (layout.from[trace] < layout.to[trace]) ids.add(columns.traceIds[trace]);
    for (const at of layout.order) {
      const day = layout.day[columns.trace[at]];
      homes.add(day);
      days.add(day);
      if (day === CLOCK_OUT_OF_RANGE) continue;
      const minute = columns.minute[at];
      if (minute < earliest) earliest = minute;
      if (minute > latest) latest = minute;
      if (columns.durationNs[at] > HOUR_NS) days.add(dayAt(minute + Math.ceil(columns.durationNs[at] / 60e9) + LOOK_AHEAD));
    }
  }
  if (earliest <= latest) days.add(dayAt(earliest - LOOK_BACK)).add(dayAt(latest + 2 * LOOK_AHEAD));
  // Near midnight two senders may each hold one end of a trace and see nothing of the other: they go one after the other.
  if (homes.size < days.size) await takeLock(client, 'midnight');
  const rows = new Map<string, TraceRow>();
  if (ids.size === 0) return rows;
  // Of rows on several days, which only parts hours from each other make, the first takes what comes.
  for (const row of await lockTraces(client, [...ids].sort(), [...days])) if (!rows.has(row.traceId)) rows.set(row.traceId, row);
  return rows;
}

function dayAt(minute: number): number {
  return Math.floor(minute / MINUTES_A_DAY);
}

/** The spans that are not there yet, each on the day where its trace lies. The same list when that changes nothing. */
async function assignHomeDays(
  requests: readonly Request[],
  laidOut: readonly LaidOutSpans[],
  rows: ReadonlyMap<string, TraceRow>,
  attempt: number,
): Promise<readonly LaidOutSpans[]> {
  if (rows.size === 0) return laidOut;
  const homes = new Map([...rows].map(([id, { day }]) => [id, day]));
  const leftOut = await repeated(laidOut, rows);
  const isMoved = ({ spans: { columns }, layout }: LaidOutSpans) =>
    columns.traceIds.some((id, trace) => (homes.get(id) ?? layout.day[trace]) !== layout.day[trace]);
  if (leftOut.every((spans) => spans.size === 0) && !laidOut.some(isMoved)) return laidOut;
  return Promise.all(
    laidOut.map((it, at) => {
      if (leftOut[at].size === 0 && !isMoved(it)) return it;
      const { columns } = it.spans;
      // What another request has stays left out.
      const inOrder = new Set(it.layout.order);
      for (let span = 0; span < columns.count; span++) if (!inOrder.has(span)) leftOut[at].add(span);
      const staying = new Map(columns.traceIds.map((id, trace) => [id, homes.get(id) ?? it.layout.day[trace]]));
      return lay(it, requests[at].body.hash, 2 * MOST_TRIES + attempt, { leftOut: leftOut[at], homes: staying });
    }),
  );
}

/** Of each request the spans that are kept already. */
async function repeated(requests: readonly LaidOutSpans[], rows: ReadonlyMap<string, TraceRow>): Promise<Set<number>[]> {
  const keysOf = new Map<string, Set<number>>();
  const suspects = requests.map(({ spans: { columns }, layout }) => {
    const found: number[] = [];
    for (const trace of layout.traces) {
      const id = columns.traceIds[trace];
      const row = rows.get(id);
      if (!row) continue;
      let keys = keysOf.get(id);
      if (!keys) {
        const bytes = Buffer.from(row.spanKeys, 'hex');
        keys = new Set(Array.from({ length: bytes.length / 4 }, (_, at) => bytes.readUInt32BE(4 * at)));
        keysOf.set(id, keys);
      }
      for (let at = layout.from[trace]; at < layout.to[trace]; at++) {
        const span = layout.order[at];
        if (keys.has(columns.idLow[span])) found.push(span);
      }
    }
    return found;
  });
  const traceOf = (at: number, span: number) => requests[at].spans.columns.traceIds[requests[at].spans.columns.trace[span]];
  const suspected = new Set(suspects.flatMap((spans, at) => spans.map((span) => rows.get(traceOf(at, span))!)));
  const there = suspected.size > 0 ? await spansIn(suspected) : new Set<string>();
  return suspects.map(
    (spans, at) => new Set(spans.filter((span) => there.has(traceOf(at, span) + spanIdOf(requests[at].spans.columns, span)))),
  );
}

const NO_KEYS = new WantedKeys([]);

/** Trace and span id of every span of some traces, one after the other. Each block is read once, however many of them lie in it. */
async function spansIn(rows: ReadonlySet<TraceRow>): Promise<Set<string>> {
  const blocksOn = new Map<number, Set<number>>();
  for (const { day, blocks } of rows) {
    const ids = blocksOn.get(day) ?? new Set();
    blocksOn.set(day, ids);
    for (const block of blocks) ids.add(block);
  }
  const wanted = new Set([...rows].map(({ traceId }) => traceId));
  const found = new Set<string>();
  for (const [day, ids] of blocksOn)
    for await (const { request } of blocksOf(spanBlock, day, [...ids]))
      for (const { records } of request.groups)
        for (const record of records) {
          const { traceId, spanId } = readSpanHead(record, NO_KEYS);
          if (wanted.has(traceId)) found.add(traceId + spanId);
        }
  return found;
}
