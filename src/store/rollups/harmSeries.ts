import { sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { daysOfMinutes } from './daysOfMinutes.ts';
import { rememberedSteps, versionsOfCalls } from './rememberedSteps.ts';
import { ALL_ENTRIES, minuteOf } from './rollups.ts';

/** Requests of one entry operation that began in one stretch of time. */
export interface EntryBucket {
  /** Start of the stretch, epoch milliseconds. */
  readonly at: number;
  readonly entryId: number;
  readonly calls: number;
  readonly failures: number;
  /** Total duration of those that went well. */
  readonly okNs: number;
}

/** All requests by entry operation and stretches of `stepMs` (whole minutes), from the rollups. @param from epoch nanoseconds */
export function entryBuckets(from: bigint, to: bigint, stepMs: number): Promise<EntryBucket[]> {
  const stepMinutes = stepMs / 60_000;
  return rememberedSteps(
    'harm',
    versionsOfCalls(ALL_ENTRIES),
    minuteOf(from),
    minuteOf(to) + 1,
    stepMinutes,
    async (first, end) => {
      const { rows } = await database().execute(sql`
      SELECT (minute / ${stepMinutes} * ${stepMs}::bigint)::float8 AS at, key_id AS "entryId", sum(calls)::int AS calls,
        sum(failures)::int AS failures, sum(ok_ns)::float8 AS "okNs"
      FROM operation_minute WHERE entry AND key_id > ${ALL_ENTRIES} AND ${daysOfMinutes(first, end)}
        AND minute >= ${first} AND minute < ${end} GROUP BY 1, 2`);
      return rows as unknown as EntryBucket[];
    },
  );
}
