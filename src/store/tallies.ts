import type pg from 'pg';
import { innerMap } from '../core/maps/innerMap.ts';
import { type CallSum, noCalls } from '../core/measures/callSum.ts';
import { CODES, codeOf, encodeCodes, encodeSketch, mergeEncoded } from '../core/measures/sketch.ts';
import { VarintWriter } from '../core/measures/varint.ts';
import { copyLine, copyLines, hexOf } from './copyRows.ts';

/** How often something was called within a minute, how often it failed, and how long it took. */
interface Tally extends CallSum {
  readonly day: number;
  readonly minute: number;
  readonly keyId: number;
  readonly entry: boolean;
}

/** Stands for all operations by which requests come in, so that the whole can be had without its parts. No operation has this id. */
export const ALL_ENTRIES = 0;

export const TALLY_TABLES = ['operation_minute', 'call_minute', 'link_minute', 'instance_minute'] as const;
type TallyTableName = (typeof TALLY_TABLES)[number];

/** Tallies on their way into the store, by key and minute, in columns: calls come by the thousand. */
export class TallyBook {
  readonly #days: number[] = [];
  readonly #minutes: number[] = [];
  readonly #keyIds: number[] = [];
  readonly #entries: boolean[] = [];
  readonly #calls: number[] = [];
  readonly #failures: number[] = [];
  readonly #mistakes: number[] = [];
  readonly #okNs: number[] = [];
  readonly #failedNs: number[] = [];
  /** Of each call its tally and the code of its duration, as one number. */
  readonly #codes: number[] = [];
  readonly #byDay = new Map<number, Map<number, Map<number, number>>>();
  /** Those of the minute that was asked for last: what comes together mostly is of one minute. */
  #day = Number.NaN;
  #minute = Number.NaN;
  #ofMinute = new Map<number, number>();

  add(day: number, minute: number, keyId: number, entry: boolean, durationNs: number, failed: boolean, mistake: boolean): void {
    const at = this.#tally(day, minute, keyId, entry);
    this.#calls[at]++;
    if (failed) {
      this.#failures[at]++;
      if (mistake) this.#mistakes[at]++;
      this.#failedNs[at] += durationNs;
    } else this.#okNs[at] += durationNs;
    this.#codes.push(at * CODES + codeOf(durationNs));
  }

  #tally(day: number, minute: number, keyId: number, entry: boolean): number {
    if (day !== this.#day || minute !== this.#minute) {
      this.#ofMinute = innerMap(innerMap(this.#byDay, day), minute);
      this.#day = day;
      this.#minute = minute;
    }
    const key = 2 * keyId + Number(entry);
    const known = this.#ofMinute.get(key);
    if (known !== undefined) return known;
    const at = this.#days.push(day) - 1;
    this.#ofMinute.set(key, at);
    this.#minutes.push(minute);
    this.#keyIds.push(keyId);
    this.#entries.push(entry);
    for (const column of [this.#calls, this.#failures, this.#mistakes, this.#okNs, this.#failedNs]) column.push(0);
    return at;
  }

  /** As rows for `insertTallyLines`. */
  lines(): string {
    // In ascending order the codes of a tally stand together, and so do those of a bucket.
    const codes = Float64Array.from(this.#codes).sort();
    const bytes = new VarintWriter();
    let text = '';
    let from = 0;
    for (let at = 0; at < this.#days.length; at++) {
      const to = from + this.#calls[at];
      encodeCodes(codes, from, to, at * CODES, bytes);
      from = to;
      text +=
        `${this.#days[at]}\t${this.#minutes[at]}\t${this.#keyIds[at]}\t${this.#entries[at]}\t${this.#calls[at]}\t` +
        `${this.#failures[at]}\t${this.#mistakes[at]}\t${this.#okNs[at]}\t${this.#failedNs[at]}\t\\\\x${hexOf(bytes)}\n`;
    }
    return text;
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

/** Adds tallies. @param lines rows in PostgreSQL's COPY text format, the columns in their order */
export async function insertTallyLines(client: pg.PoolClient, table: TallyTableName, lines: string): Promise<void> {
  if (lines !== '') await copyLines(client, table, COLUMNS, [lines]);
}

async function insertTallies(client: pg.PoolClient, table: TallyTableName, tallies: readonly Tally[]): Promise<void> {
  const lines = tallies.map(({ day, minute, keyId, entry, calls, failures, mistakes, okNs, failedNs, sketch }) =>
    copyLine([day, minute, keyId, entry, calls, failures, mistakes, okNs, failedNs, encodeSketch(sketch)]),
  );
  await insertTallyLines(client, table, lines.join(''));
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
