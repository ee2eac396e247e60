import type { TraceListItem, TraceListPage } from '../../api/traces/list.ts';
import { type Scope, scopeQuery } from '../../core/scope/scope.ts';
import { fetchJson } from '../../ui/queries/fetchJson.ts';
import type { TraceOrder } from '../../ui/queries/traces.ts';
import { saveCsv } from '../../ui/save/csv.ts';

const PAGE = 1000;
/** More rows than this are too many for one table. */
const MOST_ROWS = 20_000;

/** Has the browser save the requests of a scope as CSV, in the order of the list; of very many the first. */
export async function saveTraceList(scope: Scope, sort: TraceOrder): Promise<void> {
  // One moment for all pages: a window that follows the clock stays where it is meanwhile.
  const query = { ...scopeQuery(scope, Date.now()), sort, limit: String(PAGE) };
  const traces: TraceListItem[] = [];
  for (let cursor: string | null = ''; cursor !== null && traces.length < MOST_ROWS; ) {
    const page: TraceListPage = await fetchJson<TraceListPage>('/api/traces', { ...query, ...(cursor ? { cursor } : {}) });
    traces.push(...page.traces);
    cursor = page.nextCursor;
  }
  saveCsv('requests', traceRows(traces.slice(0, MOST_ROWS)));
}

/** Requests as the rows of a table, the names of the columns first. */
export function traceRows(traces: readonly TraceListItem[]): (string | number)[][] {
  return [
    ['trace id', 'began', 'service', 'entry', 'duration ns', 'failed', 'spans', 'failed spans', 'services'],
    ...Array.from(traces, (it) => [
      it.traceId,
      it.start,
      it.service,
      it.operation,
      it.durationNs,
      it.failed ? 'yes' : 'no',
      it.spanCount,
      it.failedSpanCount,
      it.services.join(' '),
    ]),
  ];
}
