import { sql } from 'drizzle-orm';
import type pg from 'pg';
import { database } from '../database/connection.ts';
import { CLOCK_OUT_OF_RANGE, daysOf, reassignDays } from '../retention/days.ts';

/** What is stored as columns, by stretches of so many minutes: requests by when they began, log lines by when they were written. */
export const SLOT_MINUTES = 10;
export const SLOT_NS = BigInt(SLOT_MINUTES) * 60_000_000_000n;

export const SLOT_SUBJECTS = ['request', 'log', 'session', 'profile', 'machine', 'visit'] as const;
export type SlotSubject = (typeof SLOT_SUBJECTS)[number];

/** The slot in which a minute since 1970-01-01 lies. */
export function slotOfMinute(minute: number): number {
  return Math.floor(minute / SLOT_MINUTES);
}

/** Slots by the day on which the rows of their records lie. */
export type TouchedSlots = Map<number, Set<number>>;

export function touchSlot(slots: TouchedSlots, day: number, slot: number): void {
  const known = slots.get(day);
  if (known) known.add(slot);
  else slots.set(day, new Set([slot]));
}

/** Notes, in the transaction that changes records, that their columns are no longer current. In one order everywhere, so that nobody waits in a circle. */
export async function markSlots(client: pg.PoolClient, subject: SlotSubject, slots: TouchedSlots): Promise<void> {
  const days: number[] = [];
  const numbers: number[] = [];
  for (const day of [...slots.keys()].sort((a, b) => a - b))
    for (const slot of [...slots.get(day)!].sort((a, b) => a - b)) {
      days.push(day);
      numbers.push(slot);
    }
  if (days.length === 0) return;
  await client.query({
    name: `mark slots of ${subject}`,
    text: `INSERT INTO ${subject}_slot (day, slot, changed) SELECT day, slot, 1 FROM unnest($1::int[], $2::int[]) AS touched(day, slot)
      ON CONFLICT (day, slot) DO UPDATE SET changed = ${subject}_slot.changed + 1`,
    values: [days, numbers],
  });
}

/** Where the time of a subject's records stands. */
const RECORDS = {
  request: {
    signal: 'traces',
    stored: sql.raw('trace'),
    slots: sql`SELECT day, (start_ns / ${SLOT_NS}::bigint)::int, 1 FROM trace GROUP BY 1, 2`,
  },
  log: {
    signal: 'logs',
    stored: sql.raw('log_block'),
    slots: sql`SELECT DISTINCT day, slot, 1 FROM log_block,
      LATERAL generate_series((first_ns / ${SLOT_NS}::bigint)::int, (last_ns / ${SLOT_NS}::bigint)::int) AS slot
      WHERE day <> ${CLOCK_OUT_OF_RANGE}`,
  },
  session: {
    signal: 'logs',
    stored: sql.raw('db_block'),
    slots: sql`SELECT DISTINCT day, slot, 1 FROM db_block,
      LATERAL generate_series((first_ns / ${SLOT_NS}::bigint)::int, (last_ns / ${SLOT_NS}::bigint)::int) AS slot
      WHERE day <> ${CLOCK_OUT_OF_RANGE}`,
  },
  profile: {
    signal: 'profiles',
    stored: sql.raw('profile'),
    slots: sql`SELECT day, ((time_ns + duration_ns / 2) / ${SLOT_NS}::bigint)::int, 1 FROM profile
      WHERE day <> ${CLOCK_OUT_OF_RANGE} GROUP BY 1, 2`,
  },
  machine: {
    signal: 'metrics',
    stored: sql.raw('metric_point'),
    slots: sql`SELECT DISTINCT day, slot, 1 FROM metric_block,
      LATERAL generate_series((first_ns / ${SLOT_NS}::bigint)::int, (last_ns / ${SLOT_NS}::bigint)::int) AS slot
      WHERE day <> ${CLOCK_OUT_OF_RANGE}`,
  },
  visit: {
    signal: 'logs',
    stored: sql.raw('visit'),
    slots: sql`SELECT day, (time_ns / ${SLOT_NS}::bigint)::int, 1 FROM visit WHERE day <> ${CLOCK_OUT_OF_RANGE} GROUP BY 1, 2`,
  },
} as const;

/** Marks the slots of all records and drops their columns, so that all are built anew. @returns how many slots there are */
export async function rebuildColumns(subject: SlotSubject): Promise<number> {
  const { signal, slots } = RECORDS[subject];
  // Days that were stored before there were columns get their tables.
  await reassignDays(signal, await daysOf(signal));
  await database().execute(sql`DELETE FROM ${sql.raw(`${subject}_segment`)}`);
  const slotTable = sql.raw(`${subject}_slot`);
  const { rowCount } = await database().execute(sql`INSERT INTO ${slotTable} (day, slot, changed) ${slots}
    ON CONFLICT (day, slot) DO UPDATE SET changed = ${slotTable}.changed + 1`);
  return rowCount ?? 0;
}

/** Builds columns for a store that was filled before there were any. */
export async function ensureColumns(subject: SlotSubject): Promise<void> {
  const { rows } = await database().execute(
    sql`SELECT EXISTS (SELECT FROM ${sql.raw(`${subject}_slot`)}) OR NOT EXISTS (SELECT FROM ${RECORDS[subject].stored}) AS done`,
  );
  if (!(rows[0] as { done: boolean }).done) await rebuildColumns(subject);
}
