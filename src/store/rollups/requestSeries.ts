import { gt, sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { CLOCK_OUT_OF_RANGE } from '../retention/days.ts';
import { trace } from '../schema/index.ts';
import { ALL_ENTRIES } from './rollups.ts';

/** Requests that began in one stretch of time. */
export interface RequestBucket {
  /** Start of the stretch, epoch milliseconds. */
  readonly at: number;
  readonly count: number;
  readonly failed: number;
  readonly p95Ns: number;
}

/** First and last start of all that is kept, epoch nanoseconds; null when nothing is. What a clock out of range has sent is left out. */
export async function storedTime(): Promise<{ from: bigint; to: bigint } | null> {
  const [row] = await database()
    .select({ from: sql<string | null>`min(${trace.startNs})`, to: sql<string | null>`max(${trace.startNs})` })
    .from(trace)
    .where(gt(trace.day, CLOCK_OUT_OF_RANGE));
  return row.from === null || row.to === null ? null : { from: BigInt(row.from), to: BigInt(row.to) };
}

/** A time without a request is a gap in what is kept when it is this long. */
const GAP_MINUTES = 10;

/** Stretches between the first request that is kept and the last in which there is none, epoch milliseconds. */
export async function emptyStretches(): Promise<{ from: number; to: number }[]> {
  const { rows } = await database().execute(sql`SELECT minute, next FROM
    (SELECT minute, lead(minute) OVER (ORDER BY minute) AS next FROM
      (SELECT DISTINCT minute FROM operation_minute WHERE key_id = ${ALL_ENTRIES} AND day > ${CLOCK_OUT_OF_RANGE}) AS minutes) AS pairs
    WHERE next - minute > ${GAP_MINUTES}`);
  return (rows as unknown as { minute: number; next: number }[]).map(({ minute, next }) => ({
    from: (minute + 1) * 60_000,
    to: next * 60_000,
  }));
}
