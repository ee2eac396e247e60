import { type SQL, sql } from 'drizzle-orm';
import { hexAt } from '../../core/columns/segment.ts';
import { ID } from '../../core/requests/requestColumns.ts';
import { type Condition, fitsPositive, isComparison, isNegative } from '../../core/scope/condition.ts';
import { parseDuration } from '../../core/time/duration.ts';
import { allOperations, operationIdsLike } from '../dictionaries/dictionaries.ts';
import { facetsLike } from '../dictionaries/facets.ts';
import { eachMatching, type MatchResult } from '../requests/matchingRequests.ts';
import { CLOCK_OUT_OF_RANGE, daysAround } from '../retention/days.ts';
import { trace } from '../schema/index.ts';
import { noteLeftOut } from './leftOut.ts';
import type { TraceFilter } from './traceFilter.ts';

/** The requests that a scope leaves, as what queries on `trace` need. */
export interface Selection {
  readonly condition: SQL;
  /** Whether all requests that fit are in it. Every request that is in it fits. */
  readonly complete: boolean;
}

/** Requests that are listed by their ids, at most, the latest: where the row of a trace does not tell whether it fits. */
const MOST_LISTED = 250_000;

/**
 * Finds out which requests a filter leaves. What the row of a trace tells is asked of it; for other conditions the columns of the requests
 * are read, and, where these do not tell, the spans. The answer is the same for a negated condition: requests are listed that fit, and
 * what could not be looked at is left out and said.
 */
export async function resolveScope(filter: TraceFilter): Promise<Selection> {
  const conditions = await rowConditions(filter);
  if (conditions.isEnough) return { condition: sql.join(conditions.all, sql` AND `), complete: true };
  const { ids, unread, building } = await listRequests(filter);
  noteLeftOut({ unread, building });
  return { condition: sql.join([...conditions.all, isAmong(ids)], sql` AND `), complete: unread === 0 && building === 0 };
}

/** Ids of the requests that fit, hex, the latest first. */
async function listRequests({ from, to, clockOutOfRange, ...narrowing }: TraceFilter): Promise<{ ids: string[] } & MatchResult> {
  const ids: string[] = [];
  let left = 0;
  const range = { from, to, clockOutOfRange: clockOutOfRange === true };
  const { unread, building } = await eachMatching(range, narrowing, ({ segment, rows }) => {
    const column = segment.column(ID);
    if (column?.type !== 'bytes') return;
    for (const row of rows)
      if (ids.length < MOST_LISTED) ids.push(hexAt(column, row));
      else left++;
  });
  return { ids, unread: unread + left, building };
}

/** The conditions that the row of a trace tells. @returns `isEnough`: whether those are all */
async function rowConditions(filter: TraceFilter): Promise<{ all: SQL[]; isEnough: boolean }> {
  // Only the days that the window touches are looked at.
  const { first, last } = daysAround(filter.from, filter.to);
  const all: SQL[] = [
    filter.clockOutOfRange
      ? sql`${trace.day} = ${CLOCK_OUT_OF_RANGE}`
      : sql`${trace.day} BETWEEN ${Math.max(first, 1)} AND ${last}`,
  ];
  if (filter.from !== undefined) all.push(sql`${trace.startNs} >= ${filter.from}`);
  if (filter.to !== undefined) all.push(sql`${trace.startNs} < ${filter.to}`);
  if (filter.minDurationNs !== undefined) all.push(sql`${trace.durationNs} >= ${filter.minDurationNs}`);
  if (filter.maxDurationNs !== undefined) all.push(sql`${trace.durationNs} <= ${filter.maxDurationNs}`);
  if (filter.failed !== undefined)
    all.push(filter.failed ? sql`${trace.failedSpanCount} > 0` : sql`${trace.failedSpanCount} = 0`);
  if (filter.service !== undefined || filter.operation !== undefined) {
    const ids = await operationIdsLike({ service: filter.service, name: filter.operation });
    all.push(sql`${trace.operationIds} && ${intArray(ids)}`);
  }
  if (filter.entry !== undefined) {
    const ids = await operationIdsLike({ name: filter.entry });
    all.push(sql`${trace.rootOperationId} = ANY(${intArray(ids)})`);
  }
  let isEnough = true;
  for (const it of filter.where ?? []) {
    const condition = await whereCondition(it, filter);
    if (condition) all.push(condition);
    else isEnough = false;
  }
  return { all, isEnough };
}

/** A condition on what every request has, or on the attributes of its spans; undefined when the row does not tell. */
async function whereCondition(it: Condition, filter: TraceFilter): Promise<SQL | undefined> {
  const positive = await positiveCondition(it, filter);
  if (!positive) return undefined;
  // What is unknown (no user, say) fits no value, so that the opposite holds for it.
  return isNegative(it.operator) ? sql`(${positive}) IS NOT TRUE` : positive;
}

async function positiveCondition(it: Condition, filter: TraceFilter): Promise<SQL | undefined> {
  const { field, values } = it;
  switch (field) {
    case 'duration': {
      const ns = parseDuration(values[0]) ?? 0;
      return sql`${trace.durationNs} ${COMPARISON[it.operator] ?? sql`=`} ${ns}`;
    }
    case 'failed':
      return sql`(${trace.failedSpanCount} > 0) = ANY(${`{${values.map((value) => value === 'yes').join(',')}}`}::bool[])`;
    case 'user':
      return textCondition(trace.userRef, it);
    case 'session':
      return textCondition(trace.sessionRef, it);
    case 'entry':
      return sql`${trace.rootOperationId} = ANY(${intArray(await operationsWith('name', it))})`;
    case 'operation': {
      // Together with a service, the operation is that service's.
      const services = (filter.where ?? []).find((other) => other.field === 'service' && other.operator === 'is')?.values;
      return sql`${trace.operationIds} && ${intArray(await operationsWith('name', it, services))}`;
    }
    case 'service':
      return sql`${trace.operationIds} && ${intArray(await operationsWith('service', it))}`;
    case 'span':
    case 'root':
      return undefined;
    default: {
      const ids = await facetsLike(it);
      return ids && sql`${trace.facetIds} && ${intArray(ids)}`;
    }
  }
}

/** @param ids hex */
function isAmong(ids: readonly string[]): SQL {
  return sql`${trace.traceId} = ANY(${`{${ids.map((id) => `"\\\\x${id}"`).join(',')}}`}::bytea[])`;
}

const COMPARISON: Readonly<Record<string, SQL>> = {
  over: sql`>`,
  'at least': sql`>=`,
  under: sql`<`,
  'at most': sql`<=`,
};

function textCondition(column: typeof trace.userRef | typeof trace.sessionRef, { operator, values }: Condition): SQL {
  if (operator === 'exists' || operator === 'is missing') return sql`${column} IS NOT NULL`;
  if (operator === 'contains' || operator === 'lacks') return sql`position(lower(${values[0]}) in lower(${column})) > 0`;
  return sql`${column} = ANY(${sql.param([...values])}::text[])`;
}

/** Ids of the operations whose name or service a condition's positive form fits. */
async function operationsWith(part: 'name' | 'service', it: Condition, services?: readonly string[]): Promise<number[]> {
  const known = await allOperations();
  const fits = (text: string) => !isComparison(it.operator) && fitsPositive(it, text);
  return known
    .filter((row) => fits(row[part]) && (services === undefined || services.includes(row.service)))
    .map((row) => row.id);
}

function intArray(ids: readonly number[]): SQL {
  return sql`${`{${ids.join(',')}}`}::int[]`;
}
