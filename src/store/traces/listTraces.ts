import { type SQL, sql } from 'drizzle-orm';
import type { TraceId } from '../../core/trace/span.ts';
import { database } from '../database/connection.ts';
import { operationsOf } from '../dictionaries/dictionaries.ts';
import { trace } from '../schema/index.ts';
import { resolveScope } from '../scope/resolveScope.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';

export const TRACE_ORDERS = ['-duration', '-start', '-failed'] as const;
export type TraceOrder = (typeof TRACE_ORDERS)[number];

/** Where a page of the list ended: the sort value of its last row and its id. */
export interface TraceCursor {
  readonly value: bigint;
  readonly traceId: TraceId;
}

export interface TraceSummary {
  readonly traceId: TraceId;
  readonly startNs: bigint;
  readonly durationNs: number;
  readonly service: string;
  readonly operation: string;
  readonly spanCount: number;
  readonly failedSpanCount: number;
  /** Whether the root itself failed, which is to say the request. */
  readonly rootFailed: boolean;
  /** The root's first, then by name. */
  readonly services: readonly string[];
}

export interface TracePage {
  readonly found: readonly TraceSummary[];
  /** Of all pages. */
  readonly total: number;
  readonly next: TraceCursor | null;
}

/** Above any duration. */
const RANK = 60;
/** What rows are ordered by. Failed requests come before those with a failure inside, these before the fine, each the longest first. */
const KEYS = {
  '-duration': sql`${trace.durationNs}`,
  '-start': sql`${trace.startNs}`,
  '-failed': sql`((CASE WHEN ${trace.rootFailed} THEN 2 WHEN ${trace.failedSpanCount} > 0 THEN 1 ELSE 0 END)::bigint << ${sql.raw(String(RANK))}) + ${trace.durationNs}`,
} as const satisfies Record<TraceOrder, SQL>;

/** What the list shows of a trace. The rest of its row is several times as much. */
const COLUMNS = {
  traceId: trace.traceId,
  startNs: trace.startNs,
  durationNs: trace.durationNs,
  spanCount: trace.spanCount,
  failedSpanCount: trace.failedSpanCount,
  rootFailed: trace.rootFailed,
  rootOperationId: trace.rootOperationId,
  operationIds: trace.operationIds,
} as const;

type Ordered = Pick<typeof trace.$inferSelect, 'durationNs' | 'startNs' | 'rootFailed' | 'failedSpanCount'>;

function keyOf({ durationNs, startNs, rootFailed, failedSpanCount }: Ordered, order: TraceOrder): bigint {
  if (order === '-start') return startNs;
  const rank = order === '-duration' ? 0 : rootFailed ? 2 : failedSpanCount > 0 ? 1 : 0;
  return (BigInt(rank) << BigInt(RANK)) + BigInt(durationNs);
}

/** In so short a stretch of time few enough traces begin that they are counted while they are brought into order. */
const SHORT_NS = 6n * 3_600_000_000_000n;

/** One page of the traces that a filter leaves, in the order asked for; ties by trace id. */
export async function listTraces(filter: TraceFilter, order: TraceOrder, limit: number, after?: TraceCursor): Promise<TracePage> {
  const { condition } = await resolveScope(filter);
  const by = KEYS[order];
  const beyond = after ? sql`(${by}, ${trace.traceId}) < (${after.value}, ${Buffer.from(after.traceId, 'hex')})` : sql`true`;
  const isShort = filter.from !== undefined && filter.to !== undefined && filter.to - filter.from <= SHORT_NS;
  const countsAlong = isShort && !after;
  const found = database()
    .select({ ...COLUMNS, total: sql<string>`${countsAlong ? sql`count(*) OVER ()` : sql`0`}` })
    .from(trace)
    .where(sql`${condition} AND ${beyond}`)
    .orderBy(sql`${by} DESC, ${trace.traceId} DESC`)
    .limit(limit + 1);
  const [rows, total] = countsAlong
    ? await found.then((all) => [all, Number(all[0]?.total ?? 0)] as const)
    : await Promise.all([found, database().$count(trace, condition)]);
  const page = rows.slice(0, limit);
  const operationOf = await operationsOf(page.flatMap((row) => row.operationIds));
  const last = page.at(-1);
  return {
    found: page.map((row) => {
      const root = operationOf(row.rootOperationId);
      const others = new Set(row.operationIds.map((id) => operationOf(id).service));
      others.delete(root.service);
      return {
        traceId: row.traceId as TraceId,
        startNs: row.startNs,
        durationNs: row.durationNs,
        service: root.service,
        operation: root.name,
        spanCount: row.spanCount,
        failedSpanCount: row.failedSpanCount,
        rootFailed: row.rootFailed,
        services: [root.service, ...[...others].sort()],
      };
    }),
    total,
    next: rows.length > limit && last ? { value: keyOf(last, order), traceId: last.traceId as TraceId } : null,
  };
}
