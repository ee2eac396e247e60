import { epochNanosOf } from '../../core/time/minuteTime.ts';
import type { RecordGroup } from '../../formats/otlp/wire/request.ts';
import { blockId, isFull, type PackedBlock, packBlock } from '../blocks/packBlocks.ts';
import type { SpanColumns } from './spanColumns.ts';

/** A block of spans: those from `from` to `to` in the order of the layout. */
export interface SpanBlock extends PackedBlock {
  readonly from: number;
  readonly to: number;
}

/** Where the spans of a request lie. */
export interface SpanLayout {
  /** Places of spans, without those that are left out: day by day, the spans of a trace one after the other as they came. */
  readonly order: Uint32Array;
  /** Traces in that order. */
  readonly traces: readonly number[];
  /** Of each trace, by its place in the columns, where its spans begin and end in `order`, and its day. */
  readonly from: Uint32Array;
  readonly to: Uint32Array;
  readonly day: Int32Array;
  readonly blocks: readonly SpanBlock[];
}

/** What is otherwise than usual. */
export interface LayoutChanges {
  /** Spans that are not kept. */
  readonly leftOut?: ReadonlySet<number>;
  /** Days of traces that lie elsewhere than their spans say, by the trace's id. */
  readonly homes?: ReadonlyMap<string, number>;
}

const MINUTES_A_DAY = 1440;

/**
 * Gives spans their days and packs them into blocks. A trace lies on the day of its earliest span here, its spans next to each other.
 *
 * @param placed the day that has tables for what is of a day, see placeDays; asked for those of `daysOfSpans`
 * @param hash of the request, from which the blocks have their ids @param attempt so that ids that are taken are not tried twice
 */
export function layOutSpans(
  columns: SpanColumns,
  placed: (day: number) => number,
  hash: string,
  attempt: number,
  { leftOut, homes }: LayoutChanges = {},
): SpanLayout {
  const day = daysOfTraces(columns).map((own, trace) => homes?.get(columns.traceIds[trace]) ?? placed(own));
  const traces = Array.from(day, (_, trace) => trace);
  // The sort is stable: traces of a day stay in the order in which they came.
  if (day.some((it) => it !== day[0])) traces.sort((a, b) => day[a] - day[b]);
  const counts = new Uint32Array(traces.length);
  let count = 0;
  for (let at = 0; at < columns.count; at++) {
    if (leftOut?.has(at)) continue;
    counts[columns.trace[at]]++;
    count++;
  }
  const from = new Uint32Array(traces.length);
  const to = new Uint32Array(traces.length);
  let next = 0;
  for (const trace of traces) {
    from[trace] = next;
    to[trace] = next;
    next += counts[trace];
  }
  const order = new Uint32Array(count);
  for (let at = 0; at < columns.count; at++) if (!leftOut?.has(at)) order[to[columns.trace[at]]++] = at;
  const blocks = ranges(columns, order, day).map((range, part) => pack(columns, order, day, range, blockId(hash, attempt, part)));
  return { order, traces, from, to, day, blocks };
}

/** Days since 1970-01-01 on which traces begin. */
export function daysOfSpans(columns: SpanColumns): Set<number> {
  return new Set(daysOfTraces(columns));
}

/** The same of each trace. */
function daysOfTraces({ count, traceIds, trace, minute }: SpanColumns): Int32Array {
  const day = new Int32Array(traceIds.length).fill(2 ** 31 - 1);
  for (let at = 0; at < count; at++) day[trace[at]] = Math.min(day[trace[at]], Math.floor(minute[at] / MINUTES_A_DAY));
  return day;
}

type Range = readonly [from: number, to: number];

/** Which parts of the order make a block: of one day, and not too large. */
function ranges({ trace, records }: SpanColumns, order: Uint32Array, day: Int32Array): Range[] {
  const found: Range[] = [];
  let from = 0;
  let bytes = 0;
  for (let at = 0; at < order.length; at++) {
    const isOther = at > from && day[trace[order[at]]] !== day[trace[order[from]]];
    if (isOther || isFull(at - from, bytes)) {
      found.push([from, at]);
      from = at;
      bytes = 0;
    }
    bytes += records[order[at]].length;
  }
  if (order.length > from) found.push([from, order.length]);
  return found;
}

function pack(columns: SpanColumns, order: Uint32Array, day: Int32Array, [from, to]: Range, id: number): SpanBlock {
  let first = order[from];
  let last = first;
  for (let at = from; at < to; at++) {
    if (columns.isEarlier(order[at], first)) first = order[at];
    if (columns.isEarlier(last, order[at])) last = order[at];
  }
  const timeOf = (span: number) => epochNanosOf(columns.minute[span], columns.ns[span]);
  const head = { id, day: day[columns.trace[first]], records: to - from, firstNs: timeOf(first), lastNs: timeOf(last) };
  return { ...packBlock(head, groupsOf(columns, order, from, to)), from, to };
}

/** The records of some spans under their groups, these in the order in which they first come. */
function groupsOf({ origins, origin, records }: SpanColumns, order: Uint32Array, from: number, to: number): RecordGroup[] {
  const groups: RecordGroup[] = [];
  const lists: (Uint8Array[] | undefined)[] = new Array(origins.length).fill(undefined);
  for (let at = from; at < to; at++) {
    const index = origin[order[at]];
    let list = lists[index];
    if (!list) {
      list = [];
      lists[index] = list;
      groups.push({ ...origins[index].group, records: list });
    }
    list.push(records[order[at]]);
  }
  return groups;
}
