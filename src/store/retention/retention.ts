import { desc, sql } from 'drizzle-orm';
import { drizzle } from 'drizzle-orm/node-postgres';
import type { Signal } from '../../formats/otlp/wire/messages.ts';
import { database, inTransaction } from '../database/connection.ts';
import { droppedDay } from '../schema/index.ts';
import { CLOCK_OUT_OF_RANGE, forgetDays, PARTED_TABLES, today } from './days.ts';
import { usedBytes } from './hours.ts';
import { type StoredDay, storedDays } from './storage.ts';

/** How long and how much is kept. */
export interface Retention {
  readonly days: Readonly<Record<Signal, number>>;
  /** Of the whole database; beyond it the oldest days go first. */
  readonly mostBytes: number;
}

const DAY_MS = 86_400_000;

/**
 * Drops the days that are older than they are to be kept, and the oldest ones when the store is too large; says which and why. A day
 * counts from its end, or from when its last record came if that was later: what is brought in from long ago stays as long as if it were
 * new.
 */
export async function dropOldDays({ days, mostBytes }: Retention): Promise<StoredDay[]> {
  const dropped: StoredDay[] = [];
  const due: StoredDay[] = [];
  const kept: StoredDay[] = [];
  for (const day of await storedDays()) {
    if (day.records > 0 || isPast(day)) (keptUntil(day, days[day.signal]) < Date.now() ? due : kept).push(day);
  }
  for (const day of due) if (await drop(day, 'age')) dropped.push(day);
  // Today stays as a day: see dropOldHours.
  const byAge = kept.filter(isPast).sort((a, b) => keptUntil(a, 0) - keptUntil(b, 0));
  for (const day of byAge) {
    if ((await usedBytes(today())) <= mostBytes) break;
    if (await drop(day, 'size')) dropped.push(day);
  }
  return dropped;
}

function isPast({ day }: StoredDay): boolean {
  return day !== CLOCK_OUT_OF_RANGE && day < today();
}

function keptUntil({ day, arrived }: StoredDay, days: number): number {
  const end = day === CLOCK_OUT_OF_RANGE ? 0 : (day + 1) * DAY_MS;
  return Math.max(end, arrived?.getTime() ?? 0) + days * DAY_MS;
}

/** Drops a day; false when another process has dropped it meanwhile, or when records came to it since it was looked at. */
async function drop({ signal, day, records, bytes }: StoredDay, reason: 'age' | 'size'): Promise<boolean> {
  const isDropped = await inTransaction(async (client) => {
    await client.query(`SELECT pg_advisory_xact_lock(hashtext('days'))`);
    const [table] = PARTED_TABLES[signal];
    const blocks = `${table}_${day}`;
    const there = await client.query('SELECT to_regclass($1) IS NOT NULL AS there', [blocks]);
    if (!there.rows[0].there) return false;
    // Who waits for this lock shuts out all who come after; rather than that, the next round tries again.
    await client.query(`SET LOCAL lock_timeout = '2s'`);
    // In the order of those who write, who have the whole table before its part.
    await client.query(`LOCK TABLE ONLY ${table} IN ACCESS EXCLUSIVE MODE`);
    await client.query(`LOCK TABLE ${blocks} IN ACCESS EXCLUSIVE MODE`);
    const now = await client.query(`SELECT coalesce(sum(records), 0) AS records FROM ${blocks}`);
    if (Number(now.rows[0].records) !== records) return false;
    for (const part of PARTED_TABLES[signal]) await client.query(`DROP TABLE IF EXISTS ${part}_${day}`);
    // A day that was made and got no records is nothing to tell of.
    if (records > 0) await drizzle({ client }).insert(droppedDay).values({ signal, day, reason, records, bytes });
    return true;
  });
  forgetDays();
  return isDropped;
}

export type DroppedDay = typeof droppedDay.$inferSelect;

/** The days that were dropped last. */
export async function readDroppedDays(most = 30): Promise<DroppedDay[]> {
  return database().select().from(droppedDay).orderBy(desc(droppedDay.at)).limit(most);
}

/** Forgets the bodies of requests that came so long ago that nobody sends them again. */
export async function forgetBodies(days: number): Promise<void> {
  await database().execute(sql`DELETE FROM intake_body WHERE at < now() - make_interval(days => ${days})`);
}
