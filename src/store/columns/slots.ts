import { sql } from 'drizzle-orm';
import type pg from 'pg';
import { database } from '../database/connection.ts';
import { CLOCK_OUT_OF_RANGE, daysOf, forgetDays, reassignDays } from '../retention/days.ts';

/** What is stored as columns, by stretches of so many minutes: requests by when they began, log lines by when they were written. */
export const SLOT_MINUTES = 10;
export const SLOT_NS = BigInt(SLOT_MINUTES) * 60_000_000_000n;
export const SLOTS_PER_HOUR = 60 / SLOT_MINUTES;

export const SLOT_SUBJECTS = ['request', 'log', 'session', 'profile', 'machine', 'visit'] as const;
export type SlotSubject = (typeof SLOT_SUBJECTS)[number];

/** What columns are stored of: each subject, and what is made of the columns of one by the hour, which has no slots of its own. */
export type SegmentSubject = SlotSubject | 'request_sample' | 'request_traffic' | 'session_hour';
const HOURLY: Partial<Readonly<Record<SlotSubject, readonly SegmentSubject[]>>> = {
  request: ['request_sample', 'request_traffic'],
  session: ['session_hour'],
};

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

/** A slot whose `changed` has gone past a multiple of this since its columns were built has nothing of them reused. */
const ANEW = 2 ** 20;

/** Whether columns of a slot may take over rows that were built of it before. */
export function isReusable(builtAt: number, changed: number): boolean {
  return Math.floor(builtAt / ANEW) === Math.floor(changed / ANEW);
}

/**
 * Drops the columns of slots, in the transaction that changes what their records say, and has them built without anything of what they were.
 */
export async function dropColumns(client: pg.PoolClient, subject: SlotSubject, slots: TouchedSlots): Promise<void> {
  const { days, numbers } = listed(slots);
  await client.query(
    `INSERT INTO ${subject}_slot (day, slot, changed) SELECT day, slot, ${ANEW} FROM unnest($1::int[], $2::int[]) AS touched(day, slot)
      ON CONFLICT (day, slot) DO UPDATE SET changed = (${subject}_slot.changed / ${ANEW} + 1) * ${ANEW}`,
    [days, numbers],
  );
  const tables = [subject, ...(HOURLY[subject] ?? [])].map((it) => `${it}_segment`);
  for (const table of tables)
    await client.query(
      `DELETE FROM ${table} AS stored USING unnest($1::int[], $2::int[]) AS touched(day, slot)
        WHERE stored.day = touched.day AND touched.slot BETWEEN stored.slot AND stored.slot + $3`,
      [days, numbers, table === `${subject}_segment` ? 0 : SLOTS_PER_HOUR - 1],
    );
}

/** Notes, in the transaction that changes records, that their columns are no longer current. */
export async function markSlots(client: pg.PoolClient, subject: SlotSubject, slots: TouchedSlots): Promise<void> {
  const { days, numbers } = listed(slots);
  if (days.length === 0) return;
  await client.query({
    name: `mark slots of ${subject}`,
    text: `INSERT INTO ${subject}_slot (day, slot, changed) SELECT day, slot, 1 FROM unnest($1::int[], $2::int[]) AS touched(day, slot)
      ON CONFLICT (day, slot) DO UPDATE SET changed = ${subject}_slot.changed + 1`,
    values: [days, numbers],
  });
}

/** In one order everywhere, so that nobody waits in a circle. */
function listed(slots: TouchedSlots): { days: number[]; numbers: number[] } {
  const days: number[] = [];
  const numbers: number[] = [];
  for (const day of [...slots.keys()].sort((a, b) => a - b))
    for (const slot of [...slots.get(day)!].sort((a, b) => a - b)) {
      days.push(day);
      numbers.push(slot);
    }
  return { days, numbers };
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

/** Sees to it that a day has all tables that columns of a subject go to: one that was stored before there were some lacks them. */
export async function completeDay(subject: SlotSubject, day: number): Promise<void> {
  forgetDays();
  await reassignDays(RECORDS[subject].signal, [day]);
}

/** Marks the slots of all records and drops their columns, so that all are built anew. @returns how many slots there are */
export async function rebuildColumns(subject: SlotSubject): Promise<number> {
  const { signal, slots } = RECORDS[subject];
  // Days that were stored before there were columns get their tables.
  await reassignDays(signal, await daysOf(signal));
  for (const of of [subject, ...(HOURLY[subject] ?? [])]) await database().execute(sql`DELETE FROM ${sql.raw(`${of}_segment`)}`);
  const slotTable = sql.raw(`${subject}_slot`);
  const { rowCount } = await database().execute(sql`INSERT INTO ${slotTable} (day, slot, changed) ${slots}
    ON CONFLICT (day, slot) DO UPDATE SET changed = (${slotTable}.changed / ${ANEW}::bigint + 1) * ${ANEW}::bigint`);
  return rowCount ?? 0;
}

/** Builds columns for a store that was filled before there were any. */
export async function ensureColumns(subject: SlotSubject): Promise<void> {
  const { rows } = await database().execute(
    sql`SELECT EXISTS (SELECT FROM ${sql.raw(`${subject}_slot`)}) OR NOT EXISTS (SELECT FROM ${RECORDS[subject].stored}) AS done`,
  );
  if (!(rows[0] as { done: boolean }).done) await rebuildColumns(subject);
}
