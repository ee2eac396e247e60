import { setImmediate as breathe } from 'node:timers/promises';
import type pg from 'pg';
import { innerMap } from '../../core/maps/innerMap.ts';
import { CODES, codeOf, emptySketch, encodeCodes, encodeSketch } from '../../core/measures/sketch.ts';
import { VarintWriter } from '../../core/measures/varint.ts';
import { type Cell, type Copy, copyOf, copyRows, hexOf } from '../database/copyRows.ts';
import { JOINED, mergeSketches } from './mergedSketches.ts';

/** Represents all operations by which requests come in, so that the whole can be had without its parts. No operation has this id. */
export const ALL_ENTRIES = 0;

export const ROLLUP_TABLES = ['operation_minute', 'call_minute', 'call_edge_minute', 'instance_minute'] as const;
type RollupTableName = (typeof ROLLUP_TABLES)[number];

/** Rollups that are still to be written, by key and minute. They are held in columns, because one transaction can bring thousands. */
export class RollupBatch {
  readonly #days: number[] = [];
  readonly #minutes: number[] = [];
  readonly #keyIds: number[] = [];
  readonly #entries: boolean[] = [];
  readonly #calls: number[] = [];
  readonly #failures: number[] = [];
  readonly #clientErrors: number[] = [];
  readonly #okNs: number[] = [];
  readonly #failedNs: number[] = [];
  /** Of each call its rollup and the code of its duration, as one number. */
  readonly #codes: number[] = [];
  readonly #byDay = new Map<number, Map<number, Map<number, number>>>();
  /** Those of the minute that was asked for last: what comes together mostly is of one minute. */
  #day = Number.NaN;
  #minute = Number.NaN;
  #ofMinute = new Map<number, number>();

  add(
    day: number,
    minute: number,
    keyId: number,
    entry: boolean,
    durationNs: number,
    failed: boolean,
    clientError: boolean,
  ): void {
    const at = this.#tally(day, minute, keyId, entry);
    this.#calls[at]++;
    if (failed) {
      this.#failures[at]++;
      if (clientError) this.#clientErrors[at]++;
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
    for (const column of [this.#calls, this.#failures, this.#clientErrors, this.#okNs, this.#failedNs]) column.push(0);
    return at;
  }

  /** As rows for `rollupRows`. */
  lines(): string {
    // In ascending order the codes of a rollup stand together, and so do those of a bucket.
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
        `${this.#failures[at]}\t${this.#clientErrors[at]}\t${this.#okNs[at]}\t${this.#failedNs[at]}\t\\\\x${hexOf(bytes)}\n`;
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

const COLUMNS = ['day', 'minute', 'key_id', 'entry', 'calls', 'failures', 'client_errors', 'ok_ns', 'failed_ns', 'sketch'];

/** Rollups for COPY. @param rows in PostgreSQL's COPY text format, the columns in their order */
export function rollupRows(table: RollupTableName, rows: string): Copy {
  return { table, columns: COLUMNS, rows };
}

interface JoinedRow {
  readonly rows: number;
  readonly minute: number;
  readonly key_id: number;
  readonly entry: boolean;
  readonly calls: string;
  readonly failures: string;
  readonly clientErrors: string;
  readonly ok_ns: string;
  readonly failed_ns: string;
  readonly sketches: Buffer;
}

/** Merged before others get to run. */
const AT_A_TIME = 300;

/**
 * Brings the rows of each key and closed minute of a day together into one. What comes late adds rows again, which the next round
 * takes up.
 *
 * @param before the first minute that is not closed yet
 * @returns how many rows became fewer
 */
export async function mergeRollups(client: pg.PoolClient, table: RollupTableName, day: number, before: number): Promise<number> {
  const { rows } = await client.query<JoinedRow>(
    `WITH several AS (SELECT minute, key_id, entry FROM ${table} WHERE day = $1 AND minute < $2
        GROUP BY minute, key_id, entry HAVING count(*) > 1 LIMIT 5000),
      gone AS (DELETE FROM ${table} AS it USING several
        WHERE it.day = $1 AND it.minute = several.minute AND it.key_id = several.key_id AND it.entry = several.entry
        RETURNING it.*)
      SELECT count(*)::int AS rows, minute, key_id, entry, sum(calls) AS calls, sum(failures) AS failures, sum(client_errors) AS "clientErrors",
        sum(ok_ns) AS ok_ns, sum(failed_ns) AS failed_ns, ${JOINED} AS sketches
      FROM gone GROUP BY minute, key_id, entry`,
    [day, before],
  );
  const cells: Cell[][] = [];
  let gone = 0;
  for (const [at, row] of rows.entries()) {
    if (at % AT_A_TIME === AT_A_TIME - 1) await breathe();
    const sketch = emptySketch();
    mergeSketches(sketch, row.sketches);
    const { minute, key_id, entry, calls, failures, clientErrors, ok_ns, failed_ns } = row;
    cells.push([day, minute, key_id, entry, calls, failures, clientErrors, ok_ns, failed_ns, encodeSketch(sketch)]);
    gone += row.rows;
  }
  await copyRows(client, [copyOf(table, COLUMNS, cells)]);
  return gone - rows.length;
}
