import { sql } from 'drizzle-orm';
import type pg from 'pg';
import { database } from '../database/connection.ts';
import { daysOf, reassignDays } from '../retention/days.ts';

/** Requests are kept as columns by stretches of so many minutes, by when they began. */
export const SLOT_MINUTES = 10;
export const SLOT_NS = BigInt(SLOT_MINUTES) * 60_000_000_000n;

/** The slot in which a minute since 1970-01-01 lies. */
export function slotOfMinute(minute: number): number {
  return Math.floor(minute / SLOT_MINUTES);
}

/** Slots by the day on which the rows of their traces lie. */
export type TouchedSlots = Map<number, Set<number>>;

export function touchSlot(slots: TouchedSlots, day: number, slot: number): void {
  const known = slots.get(day);
  if (known) known.add(slot);
  else slots.set(day, new Set([slot]));
}

/** Notes, in the transaction that changes requests, that their columns are no longer current. In one order everywhere, so that nobody waits in a circle. */
export async function markSlots(client: pg.PoolClient, slots: TouchedSlots): Promise<void> {
  const days: number[] = [];
  const numbers: number[] = [];
  for (const day of [...slots.keys()].sort((a, b) => a - b))
    for (const slot of [...slots.get(day)!].sort((a, b) => a - b)) {
      days.push(day);
      numbers.push(slot);
    }
  if (days.length === 0) return;
  await client.query({
    name: 'mark slots',
    text: `INSERT INTO request_slot (day, slot, changed) SELECT day, slot, 1 FROM unnest($1::int[], $2::int[]) AS touched(day, slot)
      ON CONFLICT (day, slot) DO UPDATE SET changed = request_slot.changed + 1`,
    values: [days, numbers],
  });
}

/** Marks the slots of all requests and drops their columns, so that all are built anew from the spans. @returns how many slots there are */
export async function rebuildColumns(): Promise<number> {
  // Days that were stored before there were columns get their tables.
  await reassignDays('traces', await daysOf('traces'));
  await database().execute(sql`DELETE FROM request_segment`);
  const { rowCount } = await database().execute(sql`INSERT INTO request_slot (day, slot, changed)
    SELECT day, (start_ns / ${SLOT_NS}::bigint)::int, 1 FROM trace GROUP BY 1, 2
    ON CONFLICT (day, slot) DO UPDATE SET changed = request_slot.changed + 1`);
  return rowCount ?? 0;
}

/** Builds columns for a store that was filled before there were any. */
export async function ensureColumns(): Promise<void> {
  const { rows } = await database().execute(
    sql`SELECT EXISTS (SELECT FROM request_slot) OR NOT EXISTS (SELECT FROM trace) AS done`,
  );
  if (!(rows[0] as { done: boolean }).done) await rebuildColumns();
}
