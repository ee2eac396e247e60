import { codesOf, listsOf, numberListsOf, numbersOf } from '../../core/columns/segment.ts';
import type { CountedFailure } from '../../core/failures/failureSums.ts';
import * as columns from '../../core/requests/requestColumns.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { idAt } from './requestPoints.ts';
import { eachRequest } from './requestScope.ts';

/** Goes through the failing spans of all requests that a filter leaves, those of a request one after the other. */
export async function eachFailedSpan(filter: TraceFilter, visit: (failure: CountedFailure) => void): Promise<void> {
  await eachRequest(filter, ({ segment, rows, from }) => {
    const which = listsOf(segment, columns.FAILED_SPAN);
    if (which.items.length === 0) return;
    const after = numberListsOf(segment, columns.FAILED_AT).values;
    const kind = listsOf(segment, columns.FAILED_KIND);
    const kinds = kind.texts.map(columns.readFailureKind);
    const operation = listsOf(segment, columns.SPAN_OPERATION);
    const operations = operation.texts.map(columns.readOperation);
    const parents = listsOf(segment, columns.SPAN_PARENT).items;
    const starts = numbersOf(segment, columns.START);
    const user = codesOf(segment, columns.USER);
    const fromMs = Number(from / 1_000_000n);
    for (const row of rows) {
      const first = which.offsets[row];
      const end = which.offsets[row + 1];
      if (first === end) continue;
      const spans = operation.offsets[row];
      const callers = new Set<number>();
      for (let at = first; at < end; at++) callers.add(parents[spans + which.items[at]] - 1);
      const traceId = idAt(segment, row);
      for (let at = first; at < end; at++) {
        const { service, name, kind: spanKind } = operations[operation.items[spans + which.items[at]]];
        visit({
          traceId,
          service,
          operation: name,
          handles: spanKind === 'server' || spanKind === 'consumer',
          ...kinds[kind.items[at]],
          atMs: fromMs + Math.floor((starts[row] + after[at]) / 1e6),
          user: user.values[row] === 0 ? null : user.texts[user.values[row] - 1],
          passesOn: callers.has(which.items[at]),
        });
      }
    }
  });
}
