import { sql } from 'drizzle-orm';
import { type CallSum, sumIn } from '../../core/measures/callSum.ts';
import type { OverTime } from '../../core/topology/nodeFigures.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';
import { addMerged, SUMS, type SumsRow } from './mergedSketches.ts';
import { minuteOf, type ROLLUP_TABLES } from './rollups.ts';

/** The rollups of some keys over time, in stretches of `step` minutes; those without a call are left out. Epoch nanoseconds, `to` exclusive. */
export async function sumsOverTime(
  table: (typeof ROLLUP_TABLES)[number],
  keyIds: readonly number[],
  from: bigint,
  to: bigint,
  step: number,
): Promise<OverTime> {
  if (keyIds.length === 0) return new Map();
  const { rows } =
    await database().execute(sql`SELECT minute / ${sql.raw(String(step))} AS step, ${SUMS} FROM ${sql.identifier(table)}
    WHERE day BETWEEN ${Math.max(1, dayOf(from) - 1)} AND ${dayOf(to) + 1} AND key_id = ANY(${`{${keyIds.join(',')}}`}::int[])
      AND minute >= ${minuteOf(from)} AND minute <= ${minuteOf(to - 1n)} GROUP BY 1`);
  const steps = new Map<number, CallSum>();
  for (const { step: at, ...row } of rows as unknown as (SumsRow & { step: number })[]) addMerged(sumIn(steps, at), row);
  return steps;
}
