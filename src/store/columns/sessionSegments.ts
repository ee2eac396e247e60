import type { Segment } from '../../core/columns/segment.ts';
import type { SampledSecond } from '../../core/database/sampledSecond.ts';
import { sessionSegment } from '../../core/database/sessionColumns.ts';
import { secondsBetween } from '../databases/sampledSeconds.ts';
import { type Slot, type SlotSegments, slotSegments } from './slotSegments.ts';
import { SLOT_NS } from './slots.ts';

/** The columns of sampled database sessions, a part a server, labelled with its name. */
export const sessionSegments: SlotSegments = slotSegments({
  subject: 'session',
  mostMemory: 64 * 2 ** 20,
  worthSaving: 2_000,
  build,
});

async function build(
  { slot }: Slot,
  _former: readonly Segment[],
  keep: (part: Segment, label?: string) => void,
): Promise<number> {
  const from = BigInt(slot) * SLOT_NS;
  const byServer = new Map<string, SampledSecond[]>();
  let read = 0;
  for (const second of await secondsBetween({ from, to: from + SLOT_NS })) {
    const list = byServer.get(second.server);
    if (list) list.push(second);
    else byServer.set(second.server, [second]);
    read += 1 + second.sessions.length;
  }
  const slotMs = Number(from / 1_000_000n);
  for (const [server, seconds] of byServer) keep(sessionSegment(seconds, slotMs), server);
  if (byServer.size === 0) keep(sessionSegment([], slotMs), '');
  return read;
}
