import type pg from 'pg';
import { inTransaction } from '../database/connection.ts';
import { daysOf } from '../retention/days.ts';
import { mergeRollups, ROLLUP_TABLES } from './rollups.ts';

/** A minute is closed when it is over for as long as senders usually take. */
const CLOSED_AFTER_MINUTES = 3;

/** Brings together the rollups of closed minutes, on the days for which `isDue` says so. */
export async function mergeMinutes(isDue: (day: number) => boolean): Promise<void> {
  const before = Math.floor(Date.now() / 60_000) - CLOSED_AFTER_MINUTES;
  for (const day of await daysOf('traces')) {
    if (!isDue(day)) continue;
    // A few thousand keys at a time, so that no transaction is long.
    for (const table of ROLLUP_TABLES) while ((await inTransaction((client) => mergeRollups(client, table, day, before))) > 0);
    await inTransaction((client) => joinLogMinutes(client, day, before));
  }
}

async function joinLogMinutes(client: pg.PoolClient, day: number, before: number): Promise<void> {
  await client.query(
    `WITH several AS (SELECT minute, key_id FROM log_minute WHERE day = $1 AND minute < $2 GROUP BY 1, 2 HAVING count(*) > 1),
      gone AS (DELETE FROM log_minute AS it USING several WHERE it.day = $1 AND it.minute = several.minute
        AND it.key_id = several.key_id RETURNING it.*)
    INSERT INTO log_minute (day, minute, key_id, records, with_trace)
      SELECT day, minute, key_id, sum(records), sum(with_trace) FROM gone GROUP BY 1, 2, 3`,
    [day, before],
  );
}
