import type { MetCall } from './openEnds.ts';
import type { PackedBlock } from './packBlocks.ts';
import type { SpanArrival } from './spanArrival.ts';
import { ALL_ENTRIES, TallyBook, tallyLines } from './tallies.ts';
import { type TraceRow, traceLine, withSpan } from './traceRows.ts';

/** A call of which both ends are known, and the day of its trace. */
export interface MetOn {
  readonly day: number;
  readonly call: MetCall;
}

interface NewTrace {
  readonly id: string;
  /** Its row as a line for COPY. */
  readonly line: string;
  readonly met: readonly MetOn[];
}

/** What spans come to as long as nothing is known of their traces yet: all that can be made ready before they are written. */
export interface SpanSums {
  readonly blocks: readonly PackedBlock<SpanArrival>[];
  /** In ascending order of their ids: one order everywhere, so that two transactions seldom wait for each other in a circle. */
  readonly traces: readonly NewTrace[];
  /** Rows for COPY. */
  readonly operationLines: string;
  readonly callLines: string;
  readonly instanceLines: string;
}

export function sumUp(blocks: readonly PackedBlock<SpanArrival>[]): SpanSums {
  const { rows, metOf } = traceRows(blocks, new Map());
  const traces = [...rows.keys()].sort().map((id) => ({ id, line: traceLine(rows.get(id)!), met: metOf.get(id) ?? NONE }));
  return { blocks, traces, ...tallies(blocks) };
}

const NONE: readonly MetOn[] = [];

/** The rows of the traces of some spans, those that are known brought up to date, and by trace the calls whose second end this is. */
export function traceRows(
  blocks: readonly PackedBlock<SpanArrival>[],
  known: ReadonlyMap<string, TraceRow>,
  wanted: (traceId: string) => boolean = () => true,
): { rows: Map<string, TraceRow>; metOf: Map<string, MetOn[]> } {
  const rows = new Map<string, TraceRow>();
  const metOf = new Map<string, MetOn[]>();
  for (const { id, arrivals } of blocks)
    for (const arrival of arrivals) {
      const { traceId } = arrival.head;
      if (!wanted(traceId)) continue;
      const before = rows.get(traceId);
      const row = withSpan(before ?? known.get(traceId), arrival);
      if (!before) rows.set(traceId, row);
      const calls = row.openEnds.add(arrival);
      if (calls.length > 0) {
        const met = metOf.get(traceId) ?? [];
        if (met.length === 0) metOf.set(traceId, met);
        for (const call of calls) met.push({ day: row.day, call });
      }
      if (row.blocks.at(-1) !== id) row.blocks.push(id);
    }
  return { rows, metOf };
}

function tallies(blocks: readonly PackedBlock<SpanArrival>[]) {
  const operations = new TallyBook();
  const calls = new TallyBook();
  const instances = new TallyBook();
  for (const { arrivals } of blocks)
    for (const { head, day, minute, operationId, callId, instanceId, tallied } of arrivals) {
      const entry = head.parentSpanId === null;
      operations.add(day, minute, operationId, entry, tallied);
      if (entry) operations.add(day, minute, ALL_ENTRIES, entry, tallied);
      if (callId !== null) calls.add(day, minute, callId, false, tallied);
      if (entry || head.kind === 'server' || head.kind === 'consumer') instances.add(day, minute, instanceId, false, tallied);
    }
  return {
    operationLines: tallyLines(operations.tallies),
    callLines: tallyLines(calls.tallies),
    instanceLines: tallyLines(instances.tallies),
  };
}
