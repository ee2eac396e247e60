import { sql } from 'drizzle-orm';
import { SIGNALS, type Signal } from '../../formats/otlp/wire/messages.ts';
import { database } from '../database/connection.ts';
import { BLOCK_TABLES } from '../schema/index.ts';
import { daysOf, PARTED_TABLES } from './days.ts';

/** A day of a signal, as it lies in the store. */
export interface StoredDay {
  readonly signal: Signal;
  /** Days since 1970-01-01; `CLOCK_OUT_OF_RANGE` for what only a clock out of range can have sent. */
  readonly day: number;
  readonly records: number;
  /** Of all its tables and their indexes. */
  readonly bytes: number;
  /** First and last of its records, epoch nanoseconds, and when the last of them came; null when the day is empty. */
  readonly first: bigint | null;
  readonly last: bigint | null;
  readonly arrived: Date | null;
}

/** All days of all signals. */
export async function storedDays(): Promise<StoredDay[]> {
  const days: StoredDay[] = [];
  for (const signal of SIGNALS) {
    const table = BLOCK_TABLES[signal];
    const figures = await database().execute<{ day: number; records: string; first: string; last: string; arrived: Date }>(
      sql`SELECT day, sum(records) AS records, min(first_ns) AS first, max(last_ns) AS last, max(arrived) AS arrived FROM ${table} GROUP BY day`,
    );
    const figuresOf = new Map(figures.rows.map((row) => [row.day, row]));
    for (const day of await daysOf(signal)) {
      const it = figuresOf.get(day);
      days.push({
        signal,
        day,
        records: Number(it?.records ?? 0),
        bytes: await bytesOf(signal, day),
        first: it ? BigInt(it.first) : null,
        last: it ? BigInt(it.last) : null,
        arrived: it ? new Date(it.arrived) : null,
      });
    }
  }
  return days;
}

async function bytesOf(signal: Signal, day: number): Promise<number> {
  const names = PARTED_TABLES[signal].map((table) => `${table}_${day}`);
  const { rows } = await database().execute<{ bytes: string }>(
    sql`SELECT coalesce(sum(pg_total_relation_size(to_regclass(name))), 0) AS bytes
      FROM unnest(${sql.param(`{${names.join(',')}}`)}::text[]) AS name WHERE to_regclass(name) IS NOT NULL`,
  );
  return Number(rows[0].bytes);
}

/** Bytes of the whole database. */
export async function storeBytes(): Promise<number> {
  const { rows } = await database().execute<{ bytes: string }>(sql`SELECT pg_database_size(current_database()) AS bytes`);
  return Number(rows[0].bytes);
}
