import { codesOf, numbersOf, type Segment } from '../../core/columns/segment.ts';
import { StratifiedSample } from '../../core/measures/sampling/stratifiedSample.ts';
import { DURATION, ID, OUTCOME, RequestSegmentWriter, ROOT_FAILED, ROOT_FOUND } from '../../core/requests/requestColumns.ts';
import { requestSegments } from './requestSegments.ts';
import { type Slot, type SlotSegments, type StoredSegment, slotSegments } from './slotSegments.ts';
import { SLOT_NS, SLOTS_PER_HOUR } from './slots.ts';

/** Requests in the sample of an hour. */
export const SAMPLED_PER_HOUR = 600;

/**
 * A fair sample of the requests of each hour, stratified by duration and outcome, as columns with the number of requests that each stands for: what
 * a first answer over a day or more is made of. As large for an hour with a hundred requests a second as for one with two.
 */
export const requestSamples: SlotSegments = slotSegments({
  subject: 'request_sample',
  follows: 'request',
  slotsTogether: SLOTS_PER_HOUR,
  // Of an hour that still grows nothing is written: those who ask read the requests themselves.
  worthSaving: Number.POSITIVE_INFINITY,
  build,
});

async function build({ day, slot }: Slot, _: readonly Segment[], keep: (part: Segment) => void): Promise<number> {
  const from = BigInt(slot) * SLOT_NS;
  const range = { from, to: from + BigInt(SLOTS_PER_HOUR) * SLOT_NS, clockOutOfRange: day === 0 };
  const segments: StoredSegment[] = [];
  const sample = new StratifiedSample<{ readonly of: StoredSegment; readonly row: number }>(SAMPLED_PER_HOUR);
  for await (const of of requestSegments.read(range)) {
    if (of.day !== day) continue;
    segments.push(of);
    const ids = of.segment.column(ID);
    if (ids?.type !== 'bytes') continue;
    const durations = numbersOf(of.segment, DURATION);
    const flags = codesOf(of.segment, OUTCOME).values;
    for (let row = 0; row < of.segment.rows; row++) {
      if ((flags[row] & ROOT_FOUND) === 0) continue;
      const outcome = (flags[row] & ROOT_FAILED) !== 0 ? 2 : 0;
      sample.add({ idBytes: ids.values, idAt: row * ids.width, durationNs: durations[row], outcome }, { of, row });
    }
  }
  const writer = new RequestSegmentWriter(from);
  const taken = sample.taken();
  // Segments come the latest first; rows of a segment are in order of time.
  for (const of of segments.reverse())
    for (const { item, weight } of taken.filter((it) => it.item.of === of).sort((a, b) => a.item.row - b.item.row))
      writer.copySampled(of.segment, item.row, Number(of.from - from), weight);
  keep(writer.finish());
  return taken.length;
}
