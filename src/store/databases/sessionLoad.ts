import { type SessionRows, sessionRows } from '../../core/database/sessionColumns.ts';
import { sessionSegments } from '../columns/sessionSegments.ts';

/** The sampled sessions of a server in one slot. */
export interface ServerRows {
  readonly server: string;
  readonly rows: SessionRows;
  /** When the slot begins, epoch milliseconds. */
  readonly slotMs: number;
}

/** The sampled sessions of a stretch of time (epoch nanoseconds, `to` exclusive) in order of time, of all servers or one. */
export async function sampledSessions(from: bigint, to: bigint, server?: string): Promise<ServerRows[]> {
  const found: ServerRows[] = [];
  for await (const { segment, from: slotNs, label } of sessionSegments.read({ from, to, label: server }))
    if (label !== '') found.push({ server: label, rows: sessionRows(segment), slotMs: Number(slotNs / 1_000_000n) });
  return found.sort((a, b) => a.slotMs - b.slotMs);
}
