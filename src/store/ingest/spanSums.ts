import { CLIENT, CONSUMER, PRODUCER, SERVER } from '../../core/trace/span.ts';
import { slotOfMinute } from '../columns/slots.ts';
import { ALL_ENTRIES, RollupBatch } from '../rollups/rollups.ts';
import type { AssignedSpans } from './assignDays.ts';
import type { SpanLayout } from './layOutSpans.ts';
import { CLIENT_ERROR, FAILED, HAS_PARENT, NO_CALL } from './spanColumns.ts';
import { addSpans, emptyRow, type TraceRow, traceLine } from './traceRows.ts';
import type { Ended, MatchedCall } from './unmatchedCalls.ts';
import { endKey } from './unmatchedCalls.ts';

/** The spans of a request, and where they lie. */
export interface LaidOutSpans {
  readonly spans: AssignedSpans;
  readonly layout: SpanLayout;
}

/** A call of which both ends are known, and the day of its trace. */
export interface MetOn {
  readonly day: number;
  readonly call: MatchedCall;
}

/** A trace as it is as long as none of it is there already. */
export interface NewTrace {
  readonly id: string;
  readonly day: number;
  /** In which its columns are, see store/columns. */
  readonly slot: number;
  /** Its row as a line for COPY. */
  readonly line: string;
  readonly met: readonly MetOn[];
  /** Whether the span that it begins with is among them: then, mostly, nothing of it is there already. */
  readonly hasRoot: boolean;
}

/** What spans come to as long as nothing is known of their traces yet: all that can be made ready before they are written. */
interface SpanSums {
  /** In ascending order of their ids: one order everywhere, so that two transactions seldom wait for each other in a circle. */
  readonly traces: readonly NewTrace[];
  /** Rows for COPY. */
  readonly operationLines: string;
  readonly callLines: string;
  readonly instanceLines: string;
}

export function sumUp(requests: readonly LaidOutSpans[]): SpanSums {
  const { rows, metOf } = traceRows(requests, new Map());
  const traces = [...rows.keys()].sort().map((id) => {
    const row = rows.get(id)!;
    const slot = slotOfMinute(row.startMinute);
    return { id, day: row.day, slot, line: traceLine(row), met: metOf.get(id) ?? NONE, hasRoot: row.rootFound };
  });
  return { traces, ...rollups(requests) };
}

const NONE: readonly MetOn[] = [];

/** The rows of the traces of some spans, those that are known brought up to date, and by trace the calls whose second end this is. */
export function traceRows(
  requests: readonly LaidOutSpans[],
  known: ReadonlyMap<string, TraceRow>,
  wanted: (traceId: string) => boolean = () => true,
): { rows: Map<string, TraceRow>; metOf: Map<string, MetOn[]> } {
  const rows = new Map<string, TraceRow>();
  const metOf = new Map<string, MetOn[]>();
  for (const { spans, layout } of requests) {
    const { order, blocks } = layout;
    let block = 0;
    for (const trace of layout.traces) {
      const from = layout.from[trace];
      const to = layout.to[trace];
      const traceId = spans.columns.traceIds[trace];
      if (from === to || !wanted(traceId)) continue;
      let row = rows.get(traceId);
      if (!row) {
        row = known.get(traceId) ?? emptyRow(layout.day[trace], traceId);
        rows.set(traceId, row);
      }
      while (blocks[block].to <= from) block++;
      for (let at = block; at < blocks.length && blocks[at].from < to; at++) row.blocks.push(blocks[at].id);
      addSpans(row, spans, order, from, to);
      addEnds(row, spans, order, from, to, metOf);
    }
  }
  return { rows, metOf };
}

/** Lets the ends of calls among some spans of a trace meet. */
function addEnds(
  row: TraceRow,
  { columns, operationIds, callIds }: AssignedSpans,
  order: Uint32Array,
  from: number,
  to: number,
  metOf: Map<string, MetOn[]>,
): void {
  for (let index = from; index < to; index++) {
    const at = order[index];
    const kind = columns.kind[at];
    const isCaller = kind === CLIENT || kind === PRODUCER;
    if (!isCaller && (kind !== SERVER || (columns.flags[at] & HAS_PARENT) === 0)) continue;
    const ended: Ended = {
      end: isCaller ? 'caller' : 'callee',
      key: isCaller ? endKey(columns.idHigh[at], columns.idLow[at]) : endKey(columns.parentHigh[at], columns.parentLow[at]),
      id: isCaller ? callIds[columns.call[at]] : operationIds[columns.operation[at]],
      minute: columns.minute[at],
      durationNs: columns.durationNs[at],
      failed: (columns.flags[at] & FAILED) !== 0,
      clientError: (columns.flags[at] & CLIENT_ERROR) !== 0,
    };
    const calls = row.unmatchedCalls.add(ended);
    if (calls.length === 0) continue;
    const met = metOf.get(row.traceId) ?? [];
    if (met.length === 0) metOf.set(row.traceId, met);
    for (const call of calls) met.push({ day: row.day, call });
  }
}

function rollups(requests: readonly LaidOutSpans[]) {
  const operations = new RollupBatch();
  const calls = new RollupBatch();
  const instances = new RollupBatch();
  for (const { spans, layout } of requests) {
    const { columns, operationIds, callIds, instanceIds } = spans;
    for (const at of layout.order) {
      const day = layout.day[columns.trace[at]];
      const minute = columns.minute[at];
      const durationNs = columns.durationNs[at];
      const kind = columns.kind[at];
      const failed = (columns.flags[at] & FAILED) !== 0;
      const clientError = (columns.flags[at] & CLIENT_ERROR) !== 0;
      const entry = (columns.flags[at] & HAS_PARENT) === 0;
      operations.add(day, minute, operationIds[columns.operation[at]], entry, durationNs, failed, clientError);
      if (entry) operations.add(day, minute, ALL_ENTRIES, entry, durationNs, failed, clientError);
      if (columns.call[at] !== NO_CALL) calls.add(day, minute, callIds[columns.call[at]], false, durationNs, failed, clientError);
      if (entry || kind === SERVER || kind === CONSUMER)
        instances.add(day, minute, instanceIds[columns.origin[at]], false, durationNs, failed, clientError);
    }
  }
  return { operationLines: operations.lines(), callLines: calls.lines(), instanceLines: instances.lines() };
}
