import { sql } from 'drizzle-orm';
import type { Segment } from '../../core/columns/segment.ts';
import { ProfileSegmentWriter } from '../../core/profile/profileColumns.ts';
import { readResource } from '../../formats/otlp/attributes/attributes.ts';
import { profilesIn } from '../../formats/otlp/record/profileSamples.ts';
import { blocksOf } from '../blocks/unpackBlocks.ts';
import { database } from '../database/connection.ts';
import { profileBlock } from '../schema/index.ts';
import { type Slot, type SlotSegments, slotSegments } from './slotSegments.ts';
import { SLOT_NS } from './slots.ts';

/** The columns of profiles, a part a service, labelled with its name. */
export const profileSegments: SlotSegments = slotSegments({
  subject: 'profile',
  worthSaving: 2_000,
  build,
});

/** Samples of one slot, at most; what is beyond is not summed up. */
const MOST_SAMPLES = 4_000_000;

async function build(
  { day, slot }: Slot,
  _former: readonly Segment[],
  keep: (part: Segment, label?: string) => void,
): Promise<number> {
  const from = BigInt(slot) * SLOT_NS;
  const to = from + SLOT_NS;
  const { rows } = await database().execute(sql`
    SELECT DISTINCT block_id::float8 AS id FROM profile
    WHERE day = ${day} AND time_ns + duration_ns / 2 >= ${from} AND time_ns + duration_ns / 2 < ${to} ORDER BY 1`);
  const writers = new Map<string, ProfileSegmentWriter>();
  let read = 0;
  const ids = (rows as unknown as { id: number }[]).map(({ id }) => id);
  for await (const { request } of blocksOf(profileBlock, day, ids)) {
    for (const { resource: bytes, profiles } of profilesIn(request)) {
      const resource = readResource(bytes);
      const service = String(resource['service.name'] ?? 'unknown_service');
      for (const { type, unit, period, timeNs, durationNs, samples } of profiles) {
        const middle = timeNs + durationNs / 2n;
        if (middle < from || middle >= to || read >= MOST_SAMPLES) continue;
        read += samples.length;
        let writer = writers.get(service);
        if (!writer) {
          writer = new ProfileSegmentWriter();
          writers.set(service, writer);
        }
        const place = {
          version: String(resource['service.version'] ?? ''),
          instance: String(resource['service.instance.id'] ?? ''),
        };
        writer.add({ time: Number((middle - from) / 1_000_000n), type, unit, period, ...place }, samples);
      }
    }
  }
  if (writers.size === 0) keep(new ProfileSegmentWriter().finish(), '');
  for (const [service, writer] of writers) keep(writer.finish(), service);
  return read;
}
