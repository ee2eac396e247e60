import { eq, sql } from 'drizzle-orm';
import { emptySketch, type Sketch } from '../../core/measures/sketch.ts';
import { isFacetKey, OTHER_VALUE } from '../../formats/otlp/attributes/facets.ts';
import { database } from '../database/connection.ts';
import { MOST_VALUES } from '../dictionaries/facets.ts';
import { facet, operation, trace } from '../schema/index.ts';
import { type TraceFilter, traceCondition } from '../scope/traceFilter.ts';

/** Requests that have a value in common. */
export interface TraceGroup {
  /** null for those without a value. */
  readonly value: string | null;
  calls: number;
  failed: number;
  totalNs: number;
  readonly sketch: Sketch;
}

/** Groups beyond these are left out, the largest first. */
const MOST_GROUPS = 500;

/**
 * The requests that a filter leaves by the value of an attribute of any of their spans, or by entry, service taking part, operation taking
 * part, outcome or user. A request with two values is in both groups.
 *
 * @returns `many`: whether not all values of the key are noted, so that some requests stand among those without
 */
export async function traceGroups(filter: TraceFilter, by: string): Promise<{ groups: TraceGroup[]; many: boolean }> {
  const condition = await traceCondition(filter);
  const { value, from, many } = await groupingOf(by);
  const { rows } = await database().execute(sql`
    SELECT ${value} AS value, (ceil(ln(greatest(duration_ns, 1)) / ln(2) * 16) - 1)::int AS bucket, count(*)::int AS calls,
      (count(*) FILTER (WHERE root_failed))::int AS failed, sum(duration_ns)::float8 AS total
    FROM (SELECT ${trace.durationNs}, ${trace.rootFailed}, ${trace.failedSpanCount}, ${trace.rootOperationId}, ${trace.operationIds}, ${trace.facetIds}, ${trace.userRef}
      FROM ${trace} WHERE ${condition}) AS kept ${from}
    GROUP BY 1, 2`);
  const groups = new Map<string | null, TraceGroup>();
  for (const row of rows as unknown as { value: string | null; bucket: number; calls: number; failed: number; total: number }[]) {
    const group = groups.get(row.value) ?? { value: row.value, calls: 0, failed: 0, totalNs: 0, sketch: emptySketch() };
    groups.set(row.value, group);
    group.calls += row.calls;
    group.failed += row.failed;
    group.totalNs += row.total;
    group.sketch.buckets.set(row.bucket, (group.sketch.buckets.get(row.bucket) ?? 0) + row.calls);
  }
  const sorted = [...groups.values()].sort((a, b) => b.totalNs - a.totalNs);
  return { groups: sorted.slice(0, MOST_GROUPS), many };
}

async function groupingOf(by: string) {
  const none = sql``;
  switch (by) {
    case 'entry':
      return { value: sql`${operation.name}`, from: sql`JOIN ${operation} ON ${operation.id} = root_operation_id`, many: false };
    case 'service':
    case 'operation': {
      const part = by === 'service' ? sql`service` : sql`service || ' ' || name`;
      return {
        value: sql`part.value`,
        from: sql`CROSS JOIN LATERAL (SELECT DISTINCT ${part} AS value FROM ${operation} WHERE id = ANY(operation_ids)) AS part`,
        many: false,
      };
    }
    case 'outcome':
      return {
        value: sql`CASE WHEN root_failed THEN 'failed' WHEN failed_span_count > 0 THEN 'a failure inside' ELSE 'fine' END`,
        from: none,
        many: false,
      };
    case 'user':
      return { value: sql`user_ref`, from: none, many: false };
    default: {
      const rows = await database().select({ id: facet.id, value: facet.value }).from(facet).where(eq(facet.key, by));
      const noted = rows.filter((row) => row.value !== OTHER_VALUE);
      const ids = `{${noted.map((row) => row.id).join(',')}}`;
      return {
        value: sql`part.value`,
        from: sql`LEFT JOIN LATERAL (SELECT ${facet.value} AS value FROM ${facet}
          WHERE ${facet.id} = ANY(facet_ids) AND ${facet.id} = ANY(${ids}::int[])) AS part ON true`,
        many: rows.length >= MOST_VALUES || noted.length < rows.length || !isFacetKey(by),
      };
    }
  }
}
