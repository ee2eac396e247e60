import { sql } from 'drizzle-orm';
import { emptySketch } from '../../core/measures/sketch.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';
import { trace } from '../schema/index.ts';
import { isNarrowed, type TraceFilter, traceCondition } from '../scope/traceFilter.ts';
import { type CallFigures, entryFiguresByMinute } from './operationFigures.ts';
import { ALL_ENTRIES, minuteOf } from './rollups.ts';

/**
 * The requests of a stretch of time by their entry operation's id. All of them come from the rollups of whole minutes; narrowed ones from the
 * row a trace, where a request counts as failed when its root did.
 */
export async function entryFigures(filter: TraceFilter & { from: bigint; to: bigint }): Promise<Map<number, CallFigures>> {
  if (!isNarrowed(filter)) return entryFiguresByMinute(filter.from, filter.to);
  const condition = await traceCondition(filter);
  const { rows } = await database().execute(sql`
    SELECT ${trace.rootOperationId} AS id, ${trace.rootFailed} AS failed,
      (ceil(ln(greatest(${trace.durationNs}, 1)) / ln(2) * 16) - 1)::int AS bucket, count(*)::int AS count, sum(${trace.durationNs})::float8 AS total
    FROM ${trace} WHERE ${condition} AND ${trace.rootFound} GROUP BY 1, 2, 3`);
  const byId = new Map<number, CallFigures>();
  for (const row of rows as unknown as { id: number; failed: boolean; bucket: number; count: number; total: number }[]) {
    const figures = byId.get(row.id) ?? { calls: 0, failures: 0, okNs: 0, failedNs: 0, sketch: emptySketch() };
    byId.set(row.id, figures);
    figures.calls += row.count;
    if (row.failed) {
      figures.failures += row.count;
      figures.failedNs += row.total;
    } else figures.okNs += row.total;
    figures.sketch.buckets.set(row.bucket, (figures.sketch.buckets.get(row.bucket) ?? 0) + row.count);
  }
  return byId;
}

/** How many requests came in during whole minutes of a stretch of time, epoch nanoseconds. */
export async function requestCount(from: bigint, to: bigint): Promise<number> {
  const { rows } = await database().execute(sql`SELECT coalesce(sum(calls), 0)::float8 AS count FROM operation_minute
    WHERE day BETWEEN ${Math.max(1, dayOf(from) - 1)} AND ${dayOf(to) + 1} AND key_id = ${ALL_ENTRIES}
      AND minute >= ${minuteOf(from)} AND minute <= ${minuteOf(to - 1n)}`);
  return (rows[0] as { count: number }).count;
}

/** Users with a request of one of some entries that failed or took longer than a bound; those who are not named are not counted. */
export async function usersHarmed(
  filter: TraceFilter,
  bounds: readonly { readonly entryIds: readonly number[]; readonly overNs: number }[],
): Promise<number[]> {
  if (bounds.length === 0) return [];
  const condition = await traceCondition(filter);
  const counts = bounds.map(
    ({ entryIds, overNs }, at) =>
      sql`count(DISTINCT ${trace.userRef}) FILTER (WHERE ${trace.rootOperationId} = ANY(${`{${entryIds.join(',')}}`}::int[])
        AND (${trace.rootFailed} OR ${trace.durationNs} > ${Math.min(Math.round(overNs), Number.MAX_SAFE_INTEGER)}::bigint))::int AS ${sql.raw(`c${at}`)}`,
  );
  const { rows } = await database().execute(sql`SELECT ${sql.join(counts, sql`, `)} FROM ${trace} WHERE ${condition}`);
  const [row] = rows as unknown as Record<string, number>[];
  return bounds.map((_, at) => row[`c${at}`]);
}
