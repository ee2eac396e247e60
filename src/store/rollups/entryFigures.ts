import { sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { entrySums } from '../requests/entrySums.ts';
import { dayOf } from '../retention/days.ts';
import { isInRollups, type TraceFilter } from '../scope/traceFilter.ts';
import { type CallFigures, entryFiguresByMinute } from './operationFigures.ts';
import { ALL_ENTRIES, minuteOf } from './rollups.ts';

/**
 * The requests of a stretch of time by their entry operation's id. All of them come from the rollups of whole minutes; narrowed ones from
 * their columns, where a request counts as failed when its root did.
 */
export async function entryFigures(filter: TraceFilter & { from: bigint; to: bigint }): Promise<Map<number, CallFigures>> {
  if (isInRollups(filter)) return entryFiguresByMinute(filter.from, filter.to);
  return entrySums(filter);
}

/** How many requests came in during whole minutes of a stretch of time, epoch nanoseconds. */
export async function requestCount(from: bigint, to: bigint): Promise<number> {
  const { rows } = await database().execute(sql`SELECT coalesce(sum(calls), 0)::float8 AS count FROM operation_minute
    WHERE day BETWEEN ${Math.max(1, dayOf(from) - 1)} AND ${dayOf(to) + 1} AND key_id = ${ALL_ENTRIES}
      AND minute >= ${minuteOf(from)} AND minute <= ${minuteOf(to - 1n)}`);
  return (rows[0] as { count: number }).count;
}
