import type { Segment } from '../../core/columns/segment.ts';
import { requestReader } from '../../core/requests/trafficRows.ts';
import { TrafficSums } from '../../core/topology/traffic.ts';
import { writeTraffic } from '../../core/topology/trafficColumns.ts';
import { requestSegments } from './requestSegments.ts';
import { type Slot, type SlotSegments, slotSegments } from './slotSegments.ts';
import { SLOT_NS, SLOTS_PER_HOUR } from './slots.ts';

/** Rows of an hour: one with more names than that is no shorter added up. */
const MOST_ROWS = 20_000;
/** The label of an hour that was not added up: its requests are to be read. */
export const NOT_ADDED_UP = 'too many';

/** What operations asked of each other, added up by the hour: what the map of operations over a day is made of. */
export const trafficHours: SlotSegments = slotSegments({
  subject: 'request_traffic',
  follows: 'request',
  slotsTogether: SLOTS_PER_HOUR,
  // Of an hour that still grows nothing is written: those who ask read the requests themselves.
  worthSaving: Number.POSITIVE_INFINITY,
  build,
});

async function build({ day, slot }: Slot, _: readonly Segment[], keep: (part: Segment, label?: string) => void): Promise<number> {
  const from = BigInt(slot) * SLOT_NS;
  const range = { from, to: from + BigInt(SLOTS_PER_HOUR) * SLOT_NS, clockOutOfRange: day === 0 };
  const sums = new TrafficSums(true);
  let requests = 0;
  for await (const of of requestSegments.read(range)) {
    const read = of.day === day ? requestReader(of.segment) : undefined;
    if (!read) continue;
    // Nobody asked for it: names that somebody makes up must not fill the memory.
    for (let row = 0; row < of.segment.rows && sums.size <= MOST_ROWS; row++) sums.add(read(row));
    requests += of.segment.rows;
  }
  const hour = sums.size <= MOST_ROWS ? writeTraffic(sums.traffic(), requests) : undefined;
  if (hour && hour.rows <= MOST_ROWS) keep(hour);
  else keep(writeTraffic(new TrafficSums().traffic(), 0), NOT_ADDED_UP);
  return requests;
}
