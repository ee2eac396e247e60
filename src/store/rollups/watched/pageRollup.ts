import { sql } from 'drizzle-orm';
import type { CallSeries } from '../../../core/incidents/callSeries.ts';
import { addPageEvent, type PageMinutes, pageSeries } from '../../../core/incidents/pageSeries.ts';
import { STRUGGLE } from '../../../core/incidents/watchedSeries.ts';
import { database } from '../../database/connection.ts';
import { internWatched } from '../../dictionaries/dictionaries.ts';

/** The last minutes are read again each time: a visit is sent when it is over. */
const STILL_COMING = 3;
/** Minutes read at a time. */
const CHUNK = 120;
const MINUTE_NS = 60_000_000_000n;

/** Pages of visitors by the minute, held in memory and brought up to date; only minutes in which something came are read. */
export class PageRollup {
  readonly #known = new Map<number, number>();
  readonly #pages = new Map<number, PageMinutes>();

  /** Reads what has come since the last time. @returns how many minutes changed */
  async refresh(fromMinute: number, toMinute: number): Promise<number> {
    for (const minute of this.#known.keys()) if (minute < fromMinute) this.#forget(minute);
    const { rows } =
      await database().execute(sql`SELECT (time_ns / ${MINUTE_NS})::int AS minute, count(*)::int AS events FROM visit
      WHERE ${within(fromMinute, toMinute)} GROUP BY 1`);
    const changed = (rows as unknown as { minute: number; events: number }[])
      .filter(({ minute, events }) => this.#known.get(minute) !== events || minute > toMinute - STILL_COMING)
      .sort((a, b) => a.minute - b.minute);
    for (let at = 0; at < changed.length; at += CHUNK) await this.#read(changed.slice(at, at + CHUNK));
    return changed.length;
  }

  async #read(changed: readonly { minute: number; events: number }[]): Promise<void> {
    const { rows } =
      await database().execute(sql`SELECT service, page, (time_ns / ${MINUTE_NS})::int AS minute, kind = 'crash' AS crashed,
      duration_ms * 1000000 AS "durationNs" FROM visit
      WHERE ${within(changed[0].minute, changed.at(-1)!.minute)} AND page <> '' AND kind IN ('page', 'crash')`);
    const events = rows as unknown as {
      service: string;
      page: string;
      minute: number;
      crashed: boolean;
      durationNs: number | null;
    }[];
    // Of all pages of an application together: views, and among them those of visits in which a press came to nothing.
    const struggling = await this.#struggling(changed[0].minute, changed.at(-1)!.minute);
    const views = events.filter(({ crashed }) => !crashed).map((it) => ({ ...it, durationNs: null }));
    const ids = await internWatched([
      ...events.map(({ service, page }) => ({ kind: 'page', owner: service, name: page })),
      ...[...views, ...struggling].map(({ service }) => ({ kind: 'struggle', owner: service, name: STRUGGLE })),
    ]);
    const isChanged = new Set(changed.map(({ minute }) => minute));
    for (const { minute, events: count } of changed) {
      this.#forget(minute);
      this.#known.set(minute, count);
    }
    for (const [at, event] of [...events, ...views, ...struggling].entries()) {
      if (!isChanged.has(event.minute)) continue;
      const minutes = this.#pages.get(ids[at]) ?? new Map();
      this.#pages.set(ids[at], minutes);
      addPageEvent(minutes, event);
    }
  }

  /** Visits that pressed something without any effect, once a minute. */
  async #struggling(first: number, last: number) {
    const { rows } =
      await database().execute(sql`SELECT DISTINCT service, session, (time_ns / ${MINUTE_NS})::int AS minute FROM visit
      WHERE ${within(first, last)} AND kind = 'action' AND detail->>'effect' IN ('none', 'false')`);
    return (rows as unknown as { service: string; minute: number }[]).map((it) => ({ ...it, crashed: true, durationNs: null }));
  }

  #forget(minute: number): void {
    this.#known.delete(minute);
    for (const minutes of this.#pages.values()) minutes.delete(minute);
  }

  /** One page by the minute. @param id of the dictionary of watched series */
  series(id: number, fromMinute: number, toMinute: number): CallSeries {
    return pageSeries(this.#pages.get(id) ?? new Map(), fromMinute, toMinute);
  }
}

function within(fromMinute: number, toMinute: number) {
  return sql`day BETWEEN ${Math.max(1, Math.floor(fromMinute / 1440))} AND ${Math.floor(toMinute / 1440)}
    AND time_ns >= ${BigInt(fromMinute) * MINUTE_NS} AND time_ns < ${BigInt(toMinute + 1) * MINUTE_NS}`;
}
