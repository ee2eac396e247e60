import type pg from 'pg';
import type { Span } from '../core/trace/span.ts';
import type { trace } from './schema.ts';

/** A span that is now kept, with the id of its operation. */
export interface AddedSpan {
  readonly span: Span;
  readonly operationId: number;
}

type TraceRow = typeof trace.$inferInsert;

function summaries(spans: readonly AddedSpan[]): TraceRow[] {
  const byTrace = new Map<string, TraceRow>();
  for (const { span, operationId } of spans) {
    const failed = span.status === 'error' ? 1 : 0;
    const asRoot = {
      rootFound: span.parentSpanId === null,
      rootStartNs: span.start,
      rootSpanId: span.spanId as string,
      rootOperationId: operationId,
      rootFailed: failed === 1,
      durationNs: Number(span.end - span.start),
    };
    const known = byTrace.get(span.traceId);
    if (!known) {
      byTrace.set(span.traceId, {
        traceId: span.traceId,
        startNs: span.start,
        spanCount: 1,
        failedSpanCount: failed,
        operationIds: [operationId],
        ...asRoot,
      });
      continue;
    }
    if (span.start < known.startNs) known.startNs = span.start;
    known.spanCount++;
    known.failedSpanCount += failed;
    if (!known.operationIds.includes(operationId)) known.operationIds.push(operationId);
    if (isBetterRoot(asRoot, known)) Object.assign(known, asRoot);
  }
  // In one order everywhere, so that two transactions never wait for each other.
  return [...byTrace.values()].sort((a, b) => (a.traceId < b.traceId ? -1 : 1));
}

type RootRank = Pick<TraceRow, 'rootFound' | 'rootStartNs' | 'rootSpanId'>;

function isBetterRoot(a: RootRank, b: RootRank): boolean {
  if (a.rootFound !== b.rootFound) return a.rootFound;
  if (a.rootStartNs !== b.rootStartNs) return a.rootStartNs < b.rootStartNs;
  return a.rootSpanId < b.rootSpanId;
}

/** Columns of `trace` in the order of the arrays below, with the type that each array is read as. */
const TRACE_COLUMNS: readonly (readonly [name: string, type: string, value: (row: TraceRow) => string | number | boolean])[] = [
  ['trace_id', 'bytea', (row) => `\\x${row.traceId}`],
  ['start_ns', 'bigint', (row) => String(row.startNs)],
  ['span_count', 'int', (row) => row.spanCount],
  ['failed_span_count', 'int', (row) => row.failedSpanCount],
  // An array of arrays must be rectangular: each goes over as text.
  ['operation_ids', 'text', (row) => `{${[...row.operationIds].sort((a, b) => a - b).join(',')}}`],
  ['root_found', 'boolean', (row) => row.rootFound],
  ['root_start_ns', 'bigint', (row) => String(row.rootStartNs)],
  ['root_span_id', 'bytea', (row) => `\\x${row.rootSpanId}`],
  ['root_operation_id', 'int', (row) => row.rootOperationId],
  ['root_failed', 'boolean', (row) => row.rootFailed],
  ['duration_ns', 'bigint', (row) => row.durationNs],
];

/** One statement for all traces of a batch; its text never changes, so that PostgreSQL keeps its plan. */
const UPSERT_TRACES = (() => {
  const names = TRACE_COLUMNS.map(([name]) => name);
  const arrays = TRACE_COLUMNS.map(([, type], at) => `$${at + 1}::${type}[]`);
  const values = names.map((name) => (name === 'operation_ids' ? 'operation_ids::int[]' : name));
  // The same order of precedence as isBetterRoot.
  const better = `(NOT excluded.root_found, excluded.root_start_ns, excluded.root_span_id)
    < (NOT trace.root_found, trace.root_start_ns, trace.root_span_id)`;
  const ofBetter = names
    .filter((name) => name.startsWith('root_') || name === 'duration_ns')
    .map((name) => `${name} = CASE WHEN ${better} THEN excluded.${name} ELSE trace.${name} END`);
  return `INSERT INTO trace (${names.join(', ')}) SELECT ${values.join(', ')} FROM unnest(${arrays.join(', ')}) AS arrived(${names.join(', ')})
    ON CONFLICT (trace_id) DO UPDATE SET
      start_ns = LEAST(trace.start_ns, excluded.start_ns),
      span_count = trace.span_count + excluded.span_count,
      failed_span_count = trace.failed_span_count + excluded.failed_span_count,
      operation_ids = ARRAY(SELECT DISTINCT id FROM unnest(trace.operation_ids || excluded.operation_ids) AS id ORDER BY id),
      ${ofBetter.join(', ')}`;
})();

/** Brings the summaries of traces up to date with spans that were just added in the same transaction. */
export async function upsertTraces(client: pg.PoolClient, spans: readonly AddedSpan[]): Promise<void> {
  if (spans.length === 0) return;
  const rows = summaries(spans);
  const values = TRACE_COLUMNS.map(([, , value]) => rows.map(value));
  await client.query({ name: 'upsert traces', text: UPSERT_TRACES, values });
}
