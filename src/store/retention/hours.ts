import type pg from 'pg';
import { SIGNALS, type Signal } from '../../formats/otlp/wire/messages.ts';
import { SLOT_NS } from '../columns/slots.ts';
import { connections, inTransaction } from '../database/connection.ts';
import { dayOf } from './days.ts';
import { storeBytes } from './storage.ts';

/** What was dropped of a day that still goes on: all that was sent of before a moment. */
export interface DroppedHours {
  readonly signal: Signal;
  readonly day: number;
  readonly records: number;
  readonly bytes: number;
  /** Epoch nanoseconds. */
  readonly until: bigint;
}

/** A table, with the column that holds the time of a row. */
interface Dated {
  readonly table: string;
  readonly at: string;
}

const HOUR_NS = 3_600_000_000_000n;

/** Records as they were sent: blocks that are counted, and others beside them. */
const BLOCKS = {
  traces: { blocks: 'span_block', beside: [] },
  logs: { blocks: 'log_block', beside: [{ table: 'db_block', at: 'last_ns' }] },
  metrics: { blocks: 'metric_block', beside: [] },
  profiles: { blocks: 'profile_block', beside: [] },
} as const satisfies Record<Signal, { readonly blocks: string; readonly beside: readonly Dated[] }>;

/** Rows and columns that rest on them, with what tells that they are of before a moment. Counts by the minute stay: they are small. */
const RESTING = {
  traces: [
    { table: 'trace', at: 'start_ns' },
    { table: 'request_slot', at: 'slot' },
    { table: 'request_segment', at: 'slot' },
    { table: 'request_sample_segment', at: 'slot' },
    { table: 'request_traffic_segment', at: 'slot' },
  ],
  logs: [
    { table: 'visit', at: 'time_ns' },
    ...['log', 'session', 'visit'].flatMap((it) => [
      { table: `${it}_slot`, at: 'slot' },
      { table: `${it}_segment`, at: 'slot' },
    ]),
    { table: 'session_hour_segment', at: 'slot' },
  ],
  metrics: [
    { table: 'metric_point', at: 'time_ns' },
    { table: 'machine_slot', at: 'slot' },
    { table: 'machine_segment', at: 'slot' },
  ],
  profiles: [
    { table: 'profile', at: 'time_ns' },
    { table: 'profile_slot', at: 'slot' },
    { table: 'profile_segment', at: 'slot' },
  ],
} as const satisfies Record<Signal, readonly Dated[]>;

const RAW = SIGNALS.flatMap((signal) => [BLOCKS[signal].blocks, ...BLOCKS[signal].beside.map(({ table }) => table)]);
const TABLES = [...RAW, ...SIGNALS.flatMap((signal) => RESTING[signal].map(({ table }) => table))];

/**
 * Drops the oldest hours of the day that goes on, one after the other, while the store is larger than it may be. The hour that runs stays:
 * what is just coming in is not thrown away. Their room is taken by what comes next; PostgreSQL gives it back with the day.
 *
 * @param now epoch nanoseconds
 */
export async function dropOldHours(mostBytes: number, now: bigint): Promise<DroppedHours[]> {
  const dropped: DroppedHours[] = [];
  const day = dayOf(now);
  const running = now - (now % HOUR_NS);
  if ((await storeBytes()) <= mostBytes) return dropped;
  // By its counters a table's spare room is known; they may have been lost.
  for (const table of TABLES) await analyze(`${table}_${day}`);
  while ((await usedBytes(day)) > mostBytes) {
    const first = await firstRecord(day);
    if (first === undefined) break;
    const until = first - (first % HOUR_NS) + HOUR_NS;
    if (until > running) break;
    dropped.push(...(await dropUntil(day, until)));
  }
  return dropped;
}

/** Bytes of the whole database, without the room in it that dropped hours left. @param day that goes on */
export async function usedBytes(day: number): Promise<number> {
  return (await storeBytes()) - (await spareBytes(day));
}

/**
 * Room within the tables of a day that hours left which were dropped: what their rows take at the size that rows had when the tables were
 * full. 0 where that is not known, such as after the counters of the database were lost.
 */
export async function spareBytes(day: number): Promise<number> {
  const { rows } = await connections().query<{ spare: number }>(
    `SELECT coalesce(sum(greatest(0, pg_total_relation_size(c.oid) - row_bytes * pg_stat_get_live_tuples(c.oid))), 0)::float8 AS spare
       FROM spare_room JOIN pg_class c ON c.oid = to_regclass("table" || '_' || day::text)
      WHERE day = $1 AND pg_stat_get_last_analyze_time(c.oid) IS NOT NULL`,
    [day],
  );
  return rows[0].spare;
}

async function firstRecord(day: number): Promise<bigint | undefined> {
  const parts = RAW.map((table) => `SELECT min(last_ns) AS at FROM ${table} WHERE day = $1`);
  const { rows } = await connections().query<{ at: string | null }>(
    `SELECT min(at) AS at FROM (${parts.join(' UNION ALL ')}) AS of`,
    [day],
  );
  return rows[0].at === null ? undefined : BigInt(rows[0].at);
}

/** Drops what a day has of before a moment, and notes it. */
async function dropUntil(day: number, until: bigint): Promise<DroppedHours[]> {
  const rowBytes = await noteRowBytes(day);
  const dropped = await inTransaction(async (client) => {
    const all: DroppedHours[] = [];
    for (const signal of SIGNALS) {
      const { records, bytes } = await dropSignal(client, signal, day, until, rowBytes);
      if (records === 0) continue;
      all.push({ signal, day, records, bytes, until });
      await client.query(
        `INSERT INTO dropped_day (signal, day, reason, records, bytes, until) VALUES ($1, $2, 'size', $3, $4, to_timestamp($5))`,
        [signal, day, records, bytes, Number(until / 1_000_000_000n)],
      );
    }
    return all;
  });
  // Their room can be used from now on.
  for (const table of TABLES) await vacuum(`${table}_${day}`);
  return dropped;
}

/** @returns records in the blocks, and what all rows took */
async function dropSignal(
  client: pg.PoolClient,
  signal: Signal,
  day: number,
  until: bigint,
  rowBytes: ReadonlyMap<string, number>,
): Promise<{ records: number; bytes: number }> {
  let records = 0;
  let bytes = 0;
  const count = (table: string, rows: number) => {
    bytes += Math.round(rows * (rowBytes.get(table) ?? 0));
  };
  const { blocks, beside } = BLOCKS[signal];
  const { rows } = await client.query<{ id: string; records: number }>(
    `DELETE FROM ${blocks} WHERE day = $1 AND last_ns < $2 RETURNING block_id AS id, records`,
    [day, until],
  );
  count(blocks, rows.length);
  for (const it of rows) records += it.records;
  if (signal === 'logs')
    await client.query('DELETE FROM log_trace WHERE day = $1 AND block_id = ANY($2)', [day, rows.map(({ id }) => id)]);
  for (const { table, at } of [...beside, ...RESTING[signal]]) {
    const before = at === 'slot' ? until / SLOT_NS : until;
    const { rowCount } = await client.query(`DELETE FROM ${table} WHERE day = $1 AND ${at} < $2`, [day, before]);
    count(table, rowCount ?? 0);
  }
  return { records, bytes };
}

/** Notes how much a row takes in each table, as long as nothing was dropped out of it: later its size says nothing about its rows. */
async function noteRowBytes(day: number): Promise<Map<string, number>> {
  const client = connections();
  await client.query('DELETE FROM spare_room WHERE day < $1', [day]);
  await client.query(
    `INSERT INTO spare_room (day, "table", row_bytes)
      SELECT $1::int, name, pg_total_relation_size(c.oid)::float8 / pg_stat_get_live_tuples(c.oid)
        FROM unnest($2::text[]) AS name JOIN pg_class c ON c.oid = to_regclass(name || '_' || $1::int)
       WHERE pg_stat_get_live_tuples(c.oid) > 0
      ON CONFLICT DO NOTHING`,
    [day, TABLES],
  );
  const { rows } = await client.query<{ table: string; row_bytes: number }>(
    'SELECT "table", row_bytes FROM spare_room WHERE day = $1',
    [day],
  );
  return new Map(rows.map((it) => [it.table, it.row_bytes]));
}

const analyze = (table: string) => withoutLimit(`ANALYZE ${table}`, table);
const vacuum = (table: string) => withoutLimit(`VACUUM (ANALYZE, INDEX_CLEANUP ON) ${table}`, table);

/** Runs what may take long, on a table that may not be there. */
async function withoutLimit(statement: string, table: string): Promise<void> {
  const client = await connections().connect();
  try {
    const { rows } = await client.query('SELECT to_regclass($1) IS NOT NULL AS there', [table]);
    if (rows[0].there) {
      await client.query('SET statement_timeout = 0');
      await client.query(statement);
      await client.query('RESET statement_timeout');
    }
    client.release();
  } catch (error) {
    client.release(true);
    throw error;
  }
}
