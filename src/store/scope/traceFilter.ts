import { type SQL, sql } from 'drizzle-orm';
import { type Condition, fitsPositive, isComparison, isPattern } from '../../core/scope/condition.ts';
import { parseDuration } from '../../core/time/duration.ts';
import { tracesWith } from '../blocks/scanSpans.ts';
import { allOperations, operationIdsLike } from '../dictionaries/dictionaries.ts';
import { facetsLike } from '../dictionaries/facets.ts';
import { CLOCK_OUT_OF_RANGE, daysAround } from '../retention/days.ts';
import { trace } from '../schema/index.ts';
import { neededFor, tracesWithPattern } from './patternTraces.ts';

/** Which traces are wanted. All conditions must hold; an absent one does not narrow. */
export interface TraceFilter {
  /** Of the trace's first start, epoch nanoseconds, from inclusive, to exclusive. */
  readonly from?: bigint;
  readonly to?: bigint;
  /** A service that takes part; with `operation`, the service of that operation. */
  readonly service?: string;
  /** The name of any span in the trace. */
  readonly operation?: string;
  /** The name of the root span. */
  readonly entry?: string;
  /** Of the root's duration, both inclusive. */
  readonly minDurationNs?: number;
  readonly maxDurationNs?: number;
  /** Whether any of its spans failed. */
  readonly failed?: boolean;
  /** Further conditions, all of which must hold. */
  readonly where?: readonly Condition[];
  /** Whether those are wanted whose clock was years off, which are else left out. */
  readonly clockOutOfRange?: boolean;
}

/** Whether anything but the time narrows. */
export function isNarrowed({ from: _, to: __, where, ...rest }: TraceFilter): boolean {
  return (where ?? []).length > 0 || Object.values(rest).some((value) => value !== undefined);
}

/** The filter as a condition on `trace`. */
export async function traceCondition(filter: TraceFilter): Promise<SQL> {
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
  for (const it of filter.where ?? []) all.push(await whereCondition(it, filter));
  return sql.join(all, sql` AND `);
}

const NEGATIVE: ReadonlySet<string> = new Set(['is not', 'lacks', 'is missing', 'nowhere']);

/** A condition on what every request has, or on the attributes of its spans. */
async function whereCondition(it: Condition, filter: TraceFilter): Promise<SQL> {
  const positive = await positiveCondition(it, filter);
  // What is unknown (no user, say) fits no value, so that the opposite holds for it.
  return NEGATIVE.has(it.operator) ? sql`(${positive}) IS NOT TRUE` : positive;
}

async function positiveCondition(it: Condition, filter: TraceFilter): Promise<SQL> {
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
      return isAmong(await tracesWithPattern(it, await patternCandidates(it, filter)));
    default: {
      const ids = await facetsLike(it);
      return ids ? sql`${trace.facetIds} && ${intArray(ids)}` : isAmong(await tracesWith(it, filter.from, filter.to));
    }
  }
}

/** The traces in which a pattern may hold. */
function patternCandidates(it: Condition, filter: TraceFilter): Promise<SQL> {
  const others = (filter.where ?? []).filter((other) => !isPattern(other.operator));
  return traceCondition({ ...filter, where: [...others, ...neededFor(it)] });
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
