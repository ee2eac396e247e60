import { sql } from 'drizzle-orm';
import { addCalls, type CallSum, sumIn } from '../core/measures/callSum.ts';
import { emptySketch, mergeEncoded } from '../core/measures/sketch.ts';
import type { OverTime } from '../core/topology/placeFigures.ts';
import { database } from './connection.ts';
import { dayOf } from './days.ts';
import { minuteOf, type TALLY_TABLES } from './tallies.ts';

/** The tallies of some keys over time, in stretches of `step` minutes; those without a call are left out. Epoch nanoseconds, `to` exclusive. */
export async function sumsOverTime(
  table: (typeof TALLY_TABLES)[number],
  keyIds: readonly number[],
  from: bigint,
  to: bigint,
  step: number,
): Promise<OverTime> {
  if (keyIds.length === 0) return new Map();
  const { rows } = await database().execute(sql`SELECT minute, calls::float8 AS calls, failures::float8 AS failures,
      mistakes::float8 AS mistakes, ok_ns::float8 AS "okNs", failed_ns::float8 AS "failedNs", sketch FROM ${sql.identifier(table)}
    WHERE day BETWEEN ${Math.max(1, dayOf(from) - 1)} AND ${dayOf(to) + 1} AND key_id = ANY(${`{${keyIds.join(',')}}`}::int[])
      AND minute >= ${minuteOf(from)} AND minute <= ${minuteOf(to - 1n)}`);
  const steps = new Map<number, CallSum>();
  for (const { minute, sketch, ...sums } of rows as unknown as (Omit<CallSum, 'sketch'> & { minute: number; sketch: Buffer })[]) {
    const own = emptySketch();
    mergeEncoded(own, sketch);
    addCalls(sumIn(steps, Math.floor(minute / step)), { ...sums, sketch: own });
  }
  return steps;
}
