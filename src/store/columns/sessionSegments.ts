import type { Segment } from '../../core/columns/segment.ts';
import { sessionSegment } from '../../core/database/sessionColumns.ts';
import { sampledServers, secondsBetween } from '../databases/sampledSeconds.ts';
import { type Slot, type SlotSegments, slotSegments } from './slotSegments.ts';
import { SLOT_NS } from './slots.ts';

/** The columns of sampled database sessions, a part a server, labelled with its name. */
export const sessionSegments: SlotSegments = slotSegments({
  subject: 'session',
  worthSaving: 2_000,
  build,
});

/** Server by server: memory does not grow with how many there are. */
async function build(
  { slot }: Slot,
  _former: readonly Segment[],
  keep: (part: Segment, label?: string) => void,
): Promise<number> {
  const from = BigInt(slot) * SLOT_NS;
  const slotMs = Number(from / 1_000_000n);
  let read = 0;
  for (const server of await sampledServers(from, from + SLOT_NS)) {
    const seconds = await secondsBetween({ from, to: from + SLOT_NS, server });
    const segment = sessionSegment(seconds, slotMs);
    read += segment.rows;
    keep(segment, server);
  }
  if (read === 0) keep(sessionSegment([], slotMs), '');
  return read;
}
