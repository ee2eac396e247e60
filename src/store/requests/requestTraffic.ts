import { codesOf, listsOf, numberListsOf, type Segment } from '../../core/columns/segment.ts';
import * as requests from '../../core/requests/requestColumns.ts';
import type { RequestSpan } from '../../core/requests/requestRow.ts';
import { LookUpCounts } from '../../core/topology/origin/lookUpCounts.ts';
import { GROUPS, groupOfBytes } from '../../core/topology/origin/shareInterval.ts';
import type { TrafficRequest } from '../../core/topology/traffic.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { idAt } from './requestPoints.ts';
import { eachRequest } from './requestScope.ts';

/** A request as traffic looks at it, with what tells whether it is one of the slow or the failed ones. */
export interface ReadRequest extends TrafficRequest {
  readonly traceId: string;
  readonly durationNs: number;
  readonly failed: boolean;
  /** `service name kind` of the root, as `writeOperation` writes it. */
  readonly entry: string;
}

/**
 * Goes through the requests that a filter leaves, each with its spans, at about 1 µs a span: all of them, or a part that is as good as drawn by lot.
 *
 * @param groups of the `GROUPS` that requests fall into by a hash of their id: so many are read
 */
export async function eachRequestWithSpans(
  filter: TraceFilter,
  visit: (request: ReadRequest) => void,
  groups = GROUPS,
): Promise<void> {
  await eachRequest(filter, ({ segment, rows }) => {
    const ids = segment.column(requests.ID);
    if (ids?.type !== 'bytes') return;
    const durations = segment.column(requests.DURATION);
    const outcome = codesOf(segment, requests.OUTCOME).values;
    const entry = codesOf(segment, requests.ENTRY);
    const spansOf = spanReader(segment);
    for (const row of rows) {
      if (groups < GROUPS && groupOfBytes(ids.values, row * ids.width, ids.width) >= groups) continue;
      visit({
        traceId: idAt(segment, row),
        durationNs: durations?.type === 'numbers' ? durations.values[row] : 0,
        failed: (outcome[row] & requests.ROOT_FAILED) !== 0,
        entry: entry.texts[entry.values[row] - 1],
        spans: spansOf(row),
        root: codesOf(segment, requests.ROOT_SPAN).values[row] - 1,
      });
    }
  });
}

/** Counts what the requests that a filter leaves looked up in caches: all of them, at some nanoseconds a span. */
export async function lookUpsOf(filter: TraceFilter): Promise<LookUpCounts> {
  const counts = new LookUpCounts();
  await eachRequest(filter, ({ segment, rows }) => {
    const call = listsOf(segment, requests.SPAN_CALL);
    const calls = call.texts.map(requests.readCall);
    if (calls.every((it) => it?.found === undefined)) return;
    const operation = listsOf(segment, requests.SPAN_OPERATION);
    const services = operation.texts.map((text) => requests.readOperation(text).service);
    for (const row of rows)
      for (let at = call.offsets[row]; at < call.offsets[row + 1]; at++) {
        const it = calls[call.items[at]];
        if (it?.found !== undefined) counts.count(services[operation.items[at]], it.peer, it.found);
      }
  });
  return counts;
}

function spanReader(segment: Segment): (row: number) => RequestSpan[] {
  const operation = listsOf(segment, requests.SPAN_OPERATION);
  const operations = operation.texts.map(requests.readOperation);
  const call = listsOf(segment, requests.SPAN_CALL);
  const calls = call.texts.map(requests.readCall);
  const parent = listsOf(segment, requests.SPAN_PARENT).items;
  const flags = listsOf(segment, requests.SPAN_FLAGS).items;
  const duration = numberListsOf(segment, requests.SPAN_DURATION).values;
  return (row) => {
    const spans: RequestSpan[] = [];
    for (let at = operation.offsets[row]; at < operation.offsets[row + 1]; at++)
      spans.push({
        operation: operations[operation.items[at]],
        parent: parent[at] - 1,
        hasParentId: (flags[at] & requests.SPAN_HAS_PARENT_ID) !== 0,
        durationNs: duration[at],
        failed: (flags[at] & requests.SPAN_FAILED) !== 0,
        clientError: (flags[at] & requests.SPAN_CLIENT_ERROR) !== 0,
        call: calls[call.items[at]],
      });
    return spans;
  };
}
