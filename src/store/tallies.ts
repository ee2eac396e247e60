import type pg from 'pg';
import { innerMap } from '../core/maps/innerMap.ts';
import { addCall, type CallSum, noCalls, type OneCall } from '../core/measures/callSum.ts';
import { encodeSketch, mergeEncoded } from '../core/measures/sketch.ts';
import { copyLine, copyLines } from './copyRows.ts';

/** How often something was called within a minute, how often it failed, and how long it took. */
export interface Tally extends CallSum {
  readonly day: number;
  readonly minute: number;
  readonly keyId: number;
  readonly entry: boolean;
}

/** Stands for all operations by which requests come in, so that the whole can be had without its parts. No operation has this id. */
export const ALL_ENTRIES = 0;

export const TALLY_TABLES = ['operation_minute', 'call_minute', 'link_minute', 'instance_minute'] as const;
type TallyTableName = (typeof TALLY_TABLES)[number];

/** Tallies of one request, by key and minute. */
export class TallyBook {
  readonly tallies: Tally[] = [];
  readonly #byDay = new Map<number, Map<number, Map<number, Tally>>>();
  /** Those of the minute that was asked for last: what comes together mostly is of one minute. */
  #day = Number.NaN;
  #minute = Number.NaN;
  #ofMinute = new Map<number, Tally>();

  add(day: number, minute: number, keyId: number, entry: boolean, one: OneCall): void {
    addCall(this.#tally(day, minute, keyId, entry), one);
  }

  #tally(day: number, minute: number, keyId: number, entry: boolean): Tally {
    if (day !== this.#day || minute !== this.#minute) {
      this.#ofMinute = innerMap(innerMap(this.#byDay, day), minute);
      this.#day = day;
      this.#minute = minute;
    }
    const key = 2 * keyId + Number(entry);
    let tally = this.#ofMinute.get(key);
    if (!tally) {
      tally = { day, minute, keyId, entry, ...noCalls() };
      this.#ofMinute.set(key, tally);
      this.tallies.push(tally);
    }
    return tally;
  }
}

/** Minutes since 1970-01-01, of epoch nanoseconds. */
export function minuteOf(ns: bigint): number {
  // A double is right to a few hundred nanoseconds here: only the exact division says on which side of a full minute they fall.
  const minutes = Number(ns) / 60e9;
  const whole = Math.floor(minutes);
  const isNearEdge = minutes - whole < 1e-7 || minutes - whole > 1 - 1e-7;
  return isNearEdge ? Number(ns / 60_000_000_000n) : whole;
}

const COLUMNS = ['day', 'minute', 'key_id', 'entry', 'calls', 'failures', 'mistakes', 'ok_ns', 'failed_ns', 'sketch'];

/** Tallies as rows for `insertTallyLines`. */
export function tallyLines(tallies: readonly Tally[]): string {
  return tallies
    .map(({ day, minute, keyId, entry, calls, failures, mistakes, okNs, failedNs, sketch }) =>
      copyLine([day, minute, keyId, entry, calls, failures, mistakes, okNs, failedNs, encodeSketch(sketch)]),
    )
    .join('');
}

export async function insertTallyLines(client: pg.PoolClient, table: TallyTableName, lines: string): Promise<void> {
  if (lines !== '') await copyLines(client, table, COLUMNS, [lines]);
}

export async function insertTallies(client: pg.PoolClient, table: TallyTableName, tallies: readonly Tally[]): Promise<void> {
  await insertTallyLines(client, table, tallyLines(tallies));
}

interface TallyRow {
  readonly day: number;
  readonly minute: number;
  readonly key_id: number;
  readonly entry: boolean;
  readonly calls: string;
  readonly failures: string;
  readonly mistakes: string;
  readonly ok_ns: string;
  readonly failed_ns: string;
  readonly sketch: Buffer;
}

/**
 * Brings the rows of each key and closed minute of a day together into one. What comes late adds rows again, which the next round
 * takes up.
 *
 * @param before the first minute that is not closed yet
 * @returns how many rows became fewer
 */
export async function joinTallies(client: pg.PoolClient, table: TallyTableName, day: number, before: number): Promise<number> {
  const { rows } = await client.query<TallyRow>(
    `WITH several AS (SELECT minute, key_id, entry FROM ${table} WHERE day = $1 AND minute < $2
        GROUP BY minute, key_id, entry HAVING count(*) > 1 LIMIT 5000)
      DELETE FROM ${table} AS it USING several
      WHERE it.day = $1 AND it.minute = several.minute AND it.key_id = several.key_id AND it.entry = several.entry
      RETURNING it.*`,
    [day, before],
  );
  const joined = new Map<string, Tally>();
  for (const row of rows) {
    const key = `${row.minute} ${row.key_id} ${row.entry}`;
    let tally = joined.get(key);
    if (!tally) {
      const { minute, key_id: keyId, entry } = row;
      tally = { day, minute, keyId, entry, ...noCalls() };
      joined.set(key, tally);
    }
    tally.calls += Number(row.calls);
    tally.failures += Number(row.failures);
    tally.mistakes += Number(row.mistakes);
    tally.okNs += Number(row.ok_ns);
    tally.failedNs += Number(row.failed_ns);
    mergeEncoded(tally.sketch, row.sketch);
  }
  await insertTallies(client, table, [...joined.values()]);
  return rows.length - joined.size;
}
