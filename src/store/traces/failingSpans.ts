import { desc, inArray, sql } from 'drizzle-orm';
import type { Span } from '../../core/trace/span.ts';
import { spansOfTraces } from '../blocks/readTrace.ts';
import { database } from '../database/connection.ts';
import { trace } from '../schema/index.ts';
import { resolveScope } from '../scope/resolveScope.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';

/** A span that failed, and whose request it was. */
export interface FailingSpan {
  readonly span: Span;
  readonly user: string | null;
  /** Name of the operation by which the request came in. */
  readonly entry: string;
  /** Whether something that it called failed, too. */
  readonly passesOn: boolean;
}

/** Traces that are read, at most, the latest. */
const MOST_TRACES = 1_500;

/** The failing spans of the requests that a filter leaves. @returns with how many failing requests there are, and how many were read */
export async function failingSpans(filter: TraceFilter): Promise<{ spans: FailingSpan[]; requests: number; read: number }> {
  const condition = sql`${(await resolveScope(filter)).condition} AND ${trace.failedSpanCount} > 0`;
  const [rows, counted] = await Promise.all([
    database().select(ROW).from(trace).where(condition).orderBy(desc(trace.startNs)).limit(MOST_TRACES),
    database().execute(sql`SELECT count(*)::int AS requests FROM ${trace} WHERE ${condition}`),
  ]);
  const spans = await failingOf(rows);
  return { spans, requests: (counted.rows[0] as { requests: number }).requests, read: rows.length };
}

/** The failing spans of some requests. */
export async function failingSpansOf(traceIds: readonly string[]): Promise<FailingSpan[]> {
  if (traceIds.length === 0) return [];
  const rows = await database()
    .select(ROW)
    .from(trace)
    .where(inArray(trace.traceId, [...traceIds]));
  return failingOf(rows);
}

const ROW = { day: trace.day, traceId: trace.traceId, blocks: trace.blocks, user: trace.userRef };

async function failingOf(rows: readonly { day: number; traceId: string; blocks: number[]; user: string | null }[]) {
  const traces = await spansOfTraces(rows);
  return traces.flatMap((of, at) => {
    const root = of.find((it) => it.parentSpanId === null) ?? of[0];
    const failing = of.filter((it) => it.status === 'error');
    const callers = new Set(failing.map((it) => it.parentSpanId));
    const entry = root?.name ?? '';
    return failing.map((span) => ({ span, user: rows[at].user, entry, passesOn: callers.has(span.spanId) }));
  });
}
