import { innerMap } from '../../core/maps/innerMap.ts';
import type { Copy } from '../database/copyRows.ts';
import { internCallEdges, operationsOf } from '../dictionaries/dictionaries.ts';
import { Midnight } from '../dictionaries/midnight.ts';
import { RollupBatch, rollupRows } from '../rollups/rollups.ts';
import type { MetOn } from './spanSums.ts';

const SIDES = ['caller', 'callee', 'again'] as const;
type Side = (typeof SIDES)[number];

/** Ids of links by the call, and by operation and side: there are few, and each is met by the thousand. An id is never another's. */
const known = new Map<number, Map<number, number>>();
const MOST_REMEMBERED = 20_000;
const midnight = new Midnight();

/** Counts of calls by who took them, as measured by either side, for COPY. */
export async function callEdgeRows(met: readonly MetOn[]): Promise<Copy> {
  await learn(met);
  const book = new RollupBatch();
  for (const { day, call } of met)
    for (const side of sidesOf(call.again)) {
      const { durationNs, failed, clientError } = side === 'callee' ? call.callee : call.caller;
      const id = known.get(call.callId)!.get(keyOf(call.operationId, side))!;
      book.add(day, call.minute, id, false, durationNs, failed, clientError);
    }
  return rollupRows('call_edge_minute', book.lines());
}

/** Sees to it that all of these are known. */
async function learn(met: readonly MetOn[]): Promise<void> {
  if (midnight.hasPassed() || known.size > MOST_REMEMBERED) known.clear();
  const missing = new Map<string, { callId: number; operationId: number; side: Side }>();
  for (const { call } of met) {
    const { callId, operationId } = call;
    const ids = known.get(callId);
    for (const side of sidesOf(call.again))
      if (!ids?.has(keyOf(operationId, side))) missing.set(`${callId} ${operationId} ${side}`, { callId, operationId, side });
  }
  if (missing.size === 0) return;
  const items = [...missing.values()];
  const operation = await operationsOf(items.map(({ operationId }) => operationId));
  const ids = await internCallEdges(
    items.map(({ callId, operationId, side }) => ({ callId, service: operation(operationId).service, side })),
  );
  items.forEach(({ callId, operationId, side }, at) => {
    innerMap(known, callId).set(keyOf(operationId, side), ids[at]);
  });
}

function sidesOf(again: boolean): readonly Side[] {
  return again ? AGAIN : FIRST;
}

const FIRST: readonly Side[] = ['caller', 'callee'];
const AGAIN: readonly Side[] = ['again', 'callee'];

function keyOf(operationId: number, side: Side): number {
  return operationId * SIDES.length + SIDES.indexOf(side);
}
