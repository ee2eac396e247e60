import { sql } from 'drizzle-orm';
import { addPageEvent, type PageMinutes } from '../../core/incidents/pageSeries.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';

/** Page views and crashes that are read, at most. */
const MOST = 500_000;

/** The pages of an application of visitors in a stretch of time, by the minute: views, crashes, and how long until they could be used. */
export async function visitedPages(application: string, from: bigint, to: bigint): Promise<Map<string, PageMinutes>> {
  const { rows } = await database().execute(sql`SELECT page, (time_ns / 60000000000)::int AS minute, kind = 'crash' AS crashed,
      duration_ms * 1000000 AS "durationNs" FROM visit
    WHERE day BETWEEN ${dayOf(from)} AND ${dayOf(to)} AND time_ns >= ${from} AND time_ns < ${to}
      AND service = ${application} AND page <> '' AND kind IN ('page', 'crash') LIMIT ${MOST}`);
  const pages = new Map<string, PageMinutes>();
  for (const { page, ...event } of rows as unknown as {
    page: string;
    minute: number;
    crashed: boolean;
    durationNs: number | null;
  }[]) {
    const minutes: PageMinutes = pages.get(page) ?? new Map();
    pages.set(page, minutes);
    addPageEvent(minutes, event);
  }
  return pages;
}
