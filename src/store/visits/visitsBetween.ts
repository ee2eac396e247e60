import { type Segment, segmentOf } from '../../core/columns/segment.ts';
import type { SlotVisits } from '../../core/visits/slotVisits.ts';
import { LONGEST_VISIT_MS } from '../../core/visits/splitVisits.ts';
import type { VisitPart } from '../../core/visits/visitColumns.ts';
import { visitSegments } from '../columns/visitSegments.ts';

const EMPTY = segmentOf(0, new Map());
const LONGEST_NS = BigInt(LONGEST_VISIT_MS) * 1_000_000n;

/**
 * Visits of a stretch of time, slot by slot, the earliest first.
 *
 * @param from, to epoch nanoseconds, `to` exclusive @param reach `began` for visits that began in it; `views` also for those that began up to
 * four hours earlier and may reach into it
 */
export async function visitsBetween(from: bigint, to: bigint, reach: 'began' | 'views' = 'began'): Promise<SlotVisits[]> {
  const slots = new Map<bigint, Partial<Record<VisitPart, Segment>>>();
  for await (const { segment, from: slotNs, label } of visitSegments.read({
    from: reach === 'began' ? from : from - LONGEST_NS,
    to,
  })) {
    const parts = slots.get(slotNs) ?? {};
    slots.set(slotNs, parts);
    parts[label as VisitPart] = segment;
  }
  return [...slots]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([slotNs, { visits = EMPTY, views = EMPTY, faults = EMPTY, parties = EMPTY }]) => ({
      fromMs: Number(slotNs / 1_000_000n),
      visits,
      views,
      faults,
      parties,
    }));
}
