import type { Segment } from '../../core/columns/segment.ts';
import { HOUR_PARTS, type HourPart } from '../../core/database/hours/hourColumns.ts';
import { hourSegments, type SlotRows } from '../../core/database/hours/hourSegments.ts';
import { sessionRows } from '../../core/database/sessionColumns.ts';
import { sampledServers } from '../databases/sampledSeconds.ts';
import { sessionSegments } from './sessionSegments.ts';
import { type Slot, type SlotSegments, slotSegments } from './slotSegments.ts';
import { SLOT_NS, SLOTS_PER_HOUR } from './slots.ts';

/** The label of a part of an hour of a server. */
export function hourLabel(part: HourPart, server: string): string {
  return `${part} ${server}`;
}

/** Sampled database sessions added up by the hour, with labels as `hourLabel` gives them: what days and weeks are answered from. */
export const sessionHours: SlotSegments = slotSegments({
  subject: 'session_hour',
  follows: 'session',
  slotsTogether: SLOTS_PER_HOUR,
  // Of an hour that still grows nothing is written: it is read sample by sample.
  worthSaving: Number.POSITIVE_INFINITY,
  build,
});

async function build({ slot }: Slot, _: readonly Segment[], keep: (part: Segment, label?: string) => void): Promise<number> {
  const from = BigInt(slot) * SLOT_NS;
  const to = from + BigInt(SLOTS_PER_HOUR) * SLOT_NS;
  const hourMs = Number(from / 1_000_000n);
  let read = 0;
  for (const server of await sampledServers(from, to)) {
    const slots: SlotRows[] = [];
    for await (const { segment, from: slotNs, label } of sessionSegments.read({ from, to, label: server }))
      if (label === server) slots.push({ rows: sessionRows(segment), slotMs: Number(slotNs / 1_000_000n) });
    const parts = hourSegments(slots.reverse(), hourMs);
    for (const part of HOUR_PARTS) {
      read += parts[part].rows;
      keep(parts[part], hourLabel(part, server));
    }
  }
  if (read === 0) keep(hourSegments([], hourMs).total, '');
  return read;
}
