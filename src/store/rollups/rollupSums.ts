import { sql } from 'drizzle-orm';
import { innerMap } from '../../core/maps/innerMap.ts';
import { addCalls, type CallSum, sumIn } from '../../core/measures/callSum.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';
import { addMerged, SUMS, type SumsRow } from './mergedSketches.ts';
import { rememberedHours } from './rememberedHours.ts';
import { minuteOf, type ROLLUP_TABLES } from './rollups.ts';

type Table = (typeof ROLLUP_TABLES)[number];
type Sums = Map<number, CallSum>;

const HOUR = 60;

/**
 * The rollups of a stretch of time by key: whole minutes, from the one that `from` lies in to the one that `to` ends in. Whole hours are
 * remembered, so that a day is read once.
 *
 * @param from epoch nanoseconds, inclusive @param to exclusive
 */
export async function rollupSums(table: Table, from: bigint, to: bigint): Promise<Sums> {
  const first = minuteOf(from);
  const end = minuteOf(to - 1n) + 1;
  // Spans lie on the day of their trace, which may be the day before or after.
  const days = sql`day BETWEEN ${Math.max(1, dayOf(from) - 1)} AND ${dayOf(to) + 1}`;
  const firstHour = Math.ceil(first / HOUR);
  const endHour = Math.floor(end / HOUR);
  const all: Sums = new Map();
  if (endHour <= firstHour) {
    await readInto(all, table, days, first, end);
    return all;
  }
  const [hours] = await Promise.all([
    wholeHours(table, days, firstHour, endHour),
    readInto(all, table, days, first, firstHour * HOUR),
    readInto(all, table, days, endHour * HOUR, end),
  ]);
  for (const sums of hours) for (const [key, sum] of sums) addCalls(sumIn(all, key), sum);
  return all;
}

async function wholeHours(table: Table, days: ReturnType<typeof sql>, first: number, end: number): Promise<Sums[]> {
  const { rows } = await database().execute(sql`SELECT minute / ${sql.raw(String(HOUR))} AS hour, sum(calls)::text AS calls
    FROM ${sql.identifier(table)} WHERE ${days} AND minute >= ${first * HOUR} AND minute < ${end * HOUR} GROUP BY 1 ORDER BY 1`);
  const hours = (rows as unknown as { hour: number; calls: string }[]).map(({ hour, calls }) => ({ hour, version: calls }));
  return rememberedHours(
    table,
    hours,
    (from, to) => readHours(table, days, from, to),
    () => new Map(),
  );
}

/** The rollups of some hours that follow each other, by hour. */
async function readHours(table: Table, days: ReturnType<typeof sql>, first: number, end: number): Promise<Map<number, Sums>> {
  const { rows } = await database().execute(
    sql`SELECT minute / ${sql.raw(String(HOUR))} AS hour, key_id AS "keyId", ${SUMS} FROM ${sql.identifier(table)}
      WHERE ${days} AND key_id > 0 AND minute >= ${first * HOUR} AND minute < ${end * HOUR} GROUP BY 1, 2`,
  );
  const hours = new Map<number, Sums>();
  for (const { hour, keyId, ...row } of rows as unknown as (SumsRow & { hour: number; keyId: number })[])
    addMerged(sumIn(innerMap(hours, hour), keyId), row);
  return hours;
}

async function readInto(sums: Sums, table: Table, days: ReturnType<typeof sql>, first: number, end: number): Promise<void> {
  if (end <= first) return;
  const { rows } = await database().execute(
    sql`SELECT key_id AS "keyId", ${SUMS} FROM ${sql.identifier(table)} WHERE ${days} AND key_id > 0 AND minute >= ${first} AND minute < ${end} GROUP BY key_id`,
  );
  for (const { keyId, ...row } of rows as unknown as (SumsRow & { keyId: number })[]) addMerged(sumIn(sums, keyId), row);
}
