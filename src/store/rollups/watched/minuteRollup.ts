import { group } from 'd3-array';
import { sql } from 'drizzle-orm';
import type { CallSeries, MinuteOfCalls } from '../../../core/incidents/callSeries.ts';
import { database } from '../../database/connection.ts';
import { JOINED } from '../mergedSketches.ts';
import { ALL_ENTRIES } from '../rollups.ts';
import { type MinuteRow, PackedMinute } from './packedMinute.ts';

/** The last minutes are read again each time: calls of theirs may still come. */
const STILL_COMING = 3;
/** Minutes read at a time. */
const CHUNK = 60;

/** Calls by minute and operation, held in memory and brought up to date from the rollups; only minutes in which something came are read. */
export class MinuteRollup {
  readonly #known = new Map<number, string>();
  readonly #minutes = new Map<number, PackedMinute>();
  readonly #only: readonly number[] | undefined;

  /** @param only the operations that are wanted; all when absent */
  constructor(only?: readonly number[]) {
    this.#only = only;
  }

  /** Reads what has come since the last time. @returns how many minutes changed */
  async refresh(fromMinute: number, toMinute: number): Promise<number> {
    for (const minute of this.#known.keys())
      if (minute < fromMinute) {
        this.#known.delete(minute);
        this.#minutes.delete(minute);
      }
    const days = sql`day BETWEEN ${Math.floor(fromMinute / 1440) - 1} AND ${Math.floor(toMinute / 1440) + 1}`;
    const { rows } = await database().execute(sql`SELECT minute, sum(calls)::text AS calls FROM operation_minute
      WHERE ${days} AND key_id = ${ALL_ENTRIES} AND minute BETWEEN ${fromMinute} AND ${toMinute} GROUP BY minute`);
    const changed = (rows as unknown as { minute: number; calls: string }[])
      .filter(({ minute, calls }) => this.#known.get(minute) !== calls || minute > toMinute - STILL_COMING)
      .sort((a, b) => a.minute - b.minute);
    for (let at = 0; at < changed.length; at += CHUNK) await this.#read(changed.slice(at, at + CHUNK), days);
    return changed.length;
  }

  async #read(changed: readonly { minute: number; calls: string }[], days: ReturnType<typeof sql>): Promise<void> {
    const { rows } = await database().execute(sql`SELECT minute, key_id AS "keyId", entry, sum(calls)::int AS calls,
      sum(failures)::int AS failures, ${sql.raw(JOINED)} AS sketches FROM operation_minute
      WHERE ${days} AND minute = ANY(${`{${changed.map((it) => it.minute).join(',')}}`}::int[]) AND key_id > ${ALL_ENTRIES}
      ${this.#only ? sql`AND key_id = ANY(${`{${this.#only.join(',')}}`}::int[])` : sql``} GROUP BY minute, key_id, entry`);
    const byMinute = group(rows as unknown as (MinuteRow & { minute: number })[], ({ minute }) => minute);
    for (const { minute, calls } of changed) {
      this.#known.set(minute, calls);
      this.#minutes.set(minute, new PackedMinute(byMinute.get(minute) ?? []));
    }
  }

  /** The first minute that is held. */
  oldest(): number | undefined {
    return this.#known.size === 0 ? undefined : Math.min(...this.#known.keys());
  }

  /** One operation by the minute. */
  series(operationId: number, fromMinute: number, toMinute: number): CallSeries {
    return this.#series((minute) => minute.of([operationId]), fromMinute, toMinute);
  }

  /** The requests that come in by some operations, by the minute. */
  entrySeries(operationIds: readonly number[], fromMinute: number, toMinute: number): CallSeries {
    return this.#series((minute) => minute.entriesOf(operationIds), fromMinute, toMinute);
  }

  #series(calls: (minute: PackedMinute) => MinuteOfCalls | null, fromMinute: number, toMinute: number): CallSeries {
    const minutes = Array.from({ length: toMinute - fromMinute + 1 }, (_, at) => {
      const minute = this.#minutes.get(fromMinute + at);
      return minute ? calls(minute) : null;
    });
    return { firstMinute: fromMinute, minutes };
  }
}
