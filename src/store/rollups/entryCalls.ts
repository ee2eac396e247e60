import { sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';

/** How many requests came in by some operations, by minute since 1970-01-01, both ends inclusive; minutes without are missing. */
export async function entryCalls(operationIds: readonly number[], from: number, to: number): Promise<Map<number, number>> {
  const { rows } = await database().execute(sql`SELECT minute, sum(calls)::int AS calls FROM operation_minute
    WHERE day BETWEEN ${Math.floor(from / 1440) - 1} AND ${Math.floor(to / 1440) + 1} AND entry
      AND key_id = ANY(${sql.param([...operationIds])}::int[]) AND minute BETWEEN ${from} AND ${to} GROUP BY minute`);
  return new Map((rows as unknown as { minute: number; calls: number }[]).map(({ minute, calls }) => [minute, calls]));
}
