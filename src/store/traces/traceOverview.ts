import { type SQL, sql } from 'drizzle-orm';
import { database } from '../database/connection.ts';
import { operation, trace } from '../schema/index.ts';
import { type TraceFilter, traceCondition } from '../scope/traceFilter.ts';

/** A set of traces in numbers: how many, how many failed, and marks of their duration (null when there is none). */
export interface TraceFigures {
  readonly count: number;
  readonly failed: number;
  readonly p50Ns: number | null;
  readonly p95Ns: number | null;
}

/** Of the traces with an operation; for a service as a whole, `name` is the service. */
export interface NamedFigures extends TraceFigures {
  readonly service: string;
  readonly name: string;
}

/** Quarter-octave bucket of durations: from 2^(step/4) to 2^((step+1)/4) nanoseconds. */
export interface DurationBucket {
  readonly step: number;
  readonly count: number;
  readonly failed: number;
}

export interface TraceOverview extends TraceFigures {
  readonly p99Ns: number | null;
  readonly maxNs: number | null;
  readonly durations: readonly DurationBucket[];
  readonly services: readonly NamedFigures[];
  readonly entries: readonly NamedFigures[];
  readonly operations: readonly NamedFigures[];
}

const failed = sql`count(*) FILTER (WHERE ${trace.failedSpanCount} > 0)::int`;
const quantile = (q: number) => sql`(percentile_disc(${sql.raw(String(q))}) WITHIN GROUP (ORDER BY ${trace.durationNs}))::float8`;
const figures = sql`count(*)::int AS count, ${failed} AS failed, ${quantile(0.5)} AS "p50Ns", ${quantile(0.95)} AS "p95Ns"`;

/** What the traces that a filter leaves look like: durations, and by which service, entry and operation they can be narrowed. */
export async function traceOverview(filter: TraceFilter, most = 40): Promise<TraceOverview> {
  const condition = await traceCondition(filter);
  const rows = async <T>(query: SQL) => (await database().execute(query)).rows as T[];
  const by = (service: SQL, name: SQL, from: SQL) =>
    rows<NamedFigures>(sql`SELECT ${service} AS service, ${name} AS name, ${figures} FROM ${from} WHERE ${condition} GROUP BY 1, 2
      ORDER BY count DESC, service, name LIMIT ${most}`);
  const onePerService = sql`${trace} CROSS JOIN LATERAL (
    SELECT DISTINCT ${operation.service} AS service FROM ${operation} WHERE ${operation.id} = ANY(${trace.operationIds})) AS part`;
  const onePerOperation = sql`${trace} CROSS JOIN LATERAL (
    SELECT DISTINCT ${operation.service} AS service, ${operation.name} AS name FROM ${operation}
    WHERE ${operation.id} = ANY(${trace.operationIds})) AS part`;
  const withRoot = sql`${trace} JOIN ${operation} ON ${operation.id} = ${trace.rootOperationId}`;
  const [[all], durations, services, entries, operations] = await Promise.all([
    rows<TraceFigures & { p99Ns: number | null; maxNs: number | null }>(
      sql`SELECT ${figures}, ${quantile(0.99)} AS "p99Ns", max(${trace.durationNs})::float8 AS "maxNs" FROM ${trace} WHERE ${condition}`,
    ),
    rows<DurationBucket>(sql`SELECT floor(4 * ln(greatest(${trace.durationNs}, 1)) / ln(2))::int AS step, count(*)::int AS count, ${failed} AS failed
      FROM ${trace} WHERE ${condition} GROUP BY step ORDER BY step`),
    by(sql`part.service`, sql`part.service`, onePerService),
    by(sql`${operation.service}`, sql`${operation.name}`, withRoot),
    by(sql`part.service`, sql`part.name`, onePerOperation),
  ]);
  return { ...all, durations, services, entries, operations };
}
