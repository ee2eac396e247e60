import { codesOf, listsOf, numberListsOf, numbersOf } from '../../core/columns/segment.ts';
import * as requests from '../../core/requests/requestColumns.ts';
import type { OperationKey, RequestFailure } from '../../core/requests/requestRow.ts';
import type { PathPart } from '../../core/topology/origin/pathParts.ts';
import type { TraceId } from '../../core/trace/span.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { idAt } from './requestPoints.ts';
import { eachRequest } from './requestScope.ts';

/** A request with what its time is put down to. */
export interface PathRequest {
  readonly traceId: TraceId;
  readonly entry: OperationKey;
  readonly durationNs: number;
  readonly failed: boolean;
  /** Where it began to fail; null when it did not, or its spans do not tell. */
  readonly failure: RequestFailure | null;
  /** The parts of its critical path, which sum to the duration: the same object for the same part in all requests of one call. */
  readonly path: () => [PathPart, number][];
}

/** Goes through the requests that a filter leaves, whose root has come: all of them, at some microseconds each. */
export async function eachPath(filter: TraceFilter, visit: (request: PathRequest) => void): Promise<void> {
  const parts = new Map<string, PathPart>();
  await eachRequest(filter, ({ segment, rows }) => {
    const outcome = codesOf(segment, requests.OUTCOME).values;
    const ns = numbersOf(segment, requests.DURATION);
    const entry = codesOf(segment, requests.ENTRY);
    const entries = entry.texts.map(requests.readOperation);
    const failure = codesOf(segment, requests.FAILURE);
    const failures = failure.texts.map(requests.readFailure);
    const path = listsOf(segment, requests.PATH);
    const partOf = path.texts.map((text) => {
      const part = parts.get(text) ?? requests.readPart(text);
      parts.set(text, part);
      return part;
    });
    const amounts = numberListsOf(segment, requests.PATH_NS);
    for (const row of rows) {
      if ((outcome[row] & requests.ROOT_FOUND) === 0) continue;
      visit({
        traceId: idAt(segment, row) as TraceId,
        entry: entries[entry.values[row] - 1],
        durationNs: ns[row],
        failed: (outcome[row] & requests.ROOT_FAILED) !== 0,
        failure: failure.values[row] === 0 ? null : failures[failure.values[row] - 1],
        path: () => {
          const found: [PathPart, number][] = [];
          const first = amounts.offsets[row];
          for (let at = path.offsets[row]; at < path.offsets[row + 1]; at++)
            found.push([partOf[path.items[at]], amounts.values[first + at - path.offsets[row]]]);
          return found;
        },
      });
    }
  });
}
