import { sql } from 'drizzle-orm';
import { emptySketch, quantiles } from '../../core/measures/sketch.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';
import { JOINED, mergeSketches } from '../rollups/mergedSketches.ts';
import { minuteOf } from '../rollups/rollups.ts';

/** Requests that an instance handled in a block of minutes. */
export interface InstanceBlock {
  readonly calls: number;
  /** Of those that went well, and how long they took together, nanoseconds. */
  readonly ok: number;
  readonly okNs: number;
  readonly p95Ns: number;
}

/**
 * What each instance handled, by blocks of so many minutes since 1970-01-01.
 *
 * @param from, to epoch nanoseconds, `to` exclusive
 */
export async function instanceBlocks(
  from: bigint,
  to: bigint,
  minutes: number,
): Promise<Map<number, Map<number, InstanceBlock>>> {
  const { rows } = await database().execute(sql`
    SELECT key_id AS id, minute / ${minutes}::int AS block, sum(calls)::float8 AS calls, sum(calls - failures)::float8 AS ok,
      sum(ok_ns)::float8 AS "okNs", ${sql.raw(JOINED)} AS sketches
    FROM instance_minute
    WHERE day BETWEEN ${Math.max(1, dayOf(from) - 1)} AND ${dayOf(to) + 1} AND minute >= ${minuteOf(from)} AND minute <= ${minuteOf(to - 1n)}
    GROUP BY 1, 2`);
  const found = new Map<number, Map<number, InstanceBlock>>();
  for (const { id, block, sketches, ...sums } of rows as unknown as (Omit<InstanceBlock, 'p95Ns'> & {
    id: number;
    block: number;
    sketches: Buffer;
  })[]) {
    const sketch = emptySketch();
    mergeSketches(sketch, sketches);
    const blocks = found.get(id) ?? new Map<number, InstanceBlock>();
    found.set(id, blocks);
    blocks.set(block, { ...sums, p95Ns: quantiles(sketch, [0.95])[0] ?? Number.NaN });
  }
  return found;
}
