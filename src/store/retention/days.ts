import { sql } from 'drizzle-orm';
import { SIGNALS, type Signal } from '../../formats/otlp/wire/messages.ts';
import { connections, database } from '../database/connection.ts';

/** Tables that are parted by the day, by the signal whose retention they follow. The first is the signal's block table. */
export const PARTED_TABLES = {
  traces: [
    'span_block',
    'trace',
    'operation_minute',
    'call_minute',
    'call_edge_minute',
    'instance_minute',
    'request_slot',
    'request_segment',
    'request_sample_segment',
    'request_traffic_segment',
  ],
  logs: [
    'log_block',
    'log_trace',
    'log_minute',
    'log_slot',
    'log_segment',
    'db_block',
    'session_slot',
    'session_segment',
    'session_hour_segment',
    'db_statement',
    'db_plan',
    'in_flight',
    'change',
    'inventory',
    'object_event',
    'host_processes',
    'visit',
    'visit_slot',
    'visit_segment',
    'check_run',
  ],
  metrics: ['metric_block', 'metric_point', 'machine_slot', 'machine_segment'],
  profiles: ['profile_block', 'profile', 'profile_slot', 'profile_segment'],
} as const satisfies Record<Signal, readonly string[]>;

/** The day of what only a clock out of range can have sent. It is kept apart: found by its id, never by its time. */
export const CLOCK_OUT_OF_RANGE = 0;

const DAY_NS = 86_400_000_000_000n;
const DAY_MS = 86_400_000;
/** A record that is older than this has been sent by a clock out of range, unless older ones are to be imported. */
const OLDEST_DAYS = Number(process.env.DUSK_OLDEST_DAYS) || 400;
const FURTHEST_AHEAD_DAYS = 1;
/** Days that a signal has tables for, at most: a clock that wanders through the past makes no more. */
const MOST_DAYS = 64;
/** A day this recent gets its tables whatever else there is. */
const RECENT_DAYS = 14;

/** Days since 1970-01-01, of epoch nanoseconds. */
export function dayOf(ns: bigint): number {
  return Number(ns / DAY_NS);
}

export function today(): number {
  return Math.floor(Date.now() / DAY_MS);
}

/** The days that a stretch of time touches, with the one before it and after: traces lie where their first span came from. */
export function daysAround(from: bigint | undefined, to: bigint | undefined): { first: number; last: number } {
  return { first: from === undefined ? 1 : dayOf(from) - 1, last: to === undefined ? 2 ** 30 : dayOf(to) + 1 };
}

const known = new Set<string>();

/** Forgets which days have tables; to be called when a row found none. */
export function forgetDays(): void {
  known.clear();
}

/**
 * Sees to it that records of these days have a place, and says which: the day itself, or `CLOCK_OUT_OF_RANGE` when it is years off or would be one
 * too many.
 */
export async function reassignDays(signal: Signal, days: Iterable<number>): Promise<(day: number) => number> {
  const placed = new Map<number, number>();
  const now = today();
  for (const day of new Set(days)) {
    const isLikely = day >= now - OLDEST_DAYS && day <= now + FURTHEST_AHEAD_DAYS;
    placed.set(day, isLikely && (await hasPlace(signal, day, now)) ? day : CLOCK_OUT_OF_RANGE);
  }
  if ([...placed.values()].includes(CLOCK_OUT_OF_RANGE)) await hasPlace(signal, CLOCK_OUT_OF_RANGE, now);
  return (day) => placed.get(day) ?? CLOCK_OUT_OF_RANGE;
}

/** Makes the tables of the days to come, so that no request waits for them; and those that days lack which were made before there was such a table. */
export async function prepareDays(): Promise<void> {
  const now = today();
  for (const signal of SIGNALS) await reassignDays(signal, [...(await daysOf(signal)), now, now + 1]);
}

async function hasPlace(signal: Signal, day: number, now: number): Promise<boolean> {
  const key = `${signal} ${day}`;
  if (known.has(key)) return true;
  const isOld = day !== CLOCK_OUT_OF_RANGE && day < now - RECENT_DAYS;
  const client = await connections().connect();
  try {
    // One maker at a time; the lock lasts as long as the transaction.
    await client.query('BEGIN');
    await client.query(`SELECT pg_advisory_xact_lock(hashtext('days'))`);
    const tables = PARTED_TABLES[signal];
    const isThere = async (table: string) =>
      (await client.query('SELECT to_regclass($1) IS NOT NULL AS there', [`${table}_${day}`])).rows[0].there as boolean;
    // A day that was made before there was a table lacks its part of it.
    const missing: string[] = [];
    for (const table of tables) if (!(await isThere(table))) missing.push(table);
    if (missing.length > 0) {
      if (missing.length === tables.length && isOld && (await daysOf(signal)).length >= MOST_DAYS) {
        await client.query('COMMIT');
        client.release();
        return false;
      }
      for (const table of missing) {
        const part = `${table}_${day}`;
        await client.query(`CREATE TABLE ${part} (LIKE ${table} INCLUDING ALL)`);
        // Rows of traces grow in place as their spans come.
        if (table === 'trace') await client.query(`ALTER TABLE ${part} SET (fillfactor = 90)`);
        // Attaching does not shut out those who read or write other days.
        await client.query(`ALTER TABLE ${table} ATTACH PARTITION ${part} FOR VALUES IN (${day})`);
      }
    }
    await client.query('COMMIT');
    client.release();
  } catch (error) {
    client.release(true);
    throw error;
  }
  known.add(key);
  return true;
}

/** The days that a signal has tables for, ascending; `CLOCK_OUT_OF_RANGE` among them when something was kept apart. */
export async function daysOf(signal: Signal): Promise<number[]> {
  const prefix = `${PARTED_TABLES[signal][0]}_`;
  const { rows } = await database().execute<{ name: string }>(
    sql`SELECT child.relname AS name FROM pg_inherits JOIN pg_class child ON child.oid = inhrelid
      JOIN pg_class parent ON parent.oid = inhparent WHERE parent.relname = ${PARTED_TABLES[signal][0]}`,
  );
  return rows.map(({ name }) => Number(name.slice(prefix.length))).sort((a, b) => a - b);
}
