import { codesOf, hexAt, listsOf, numberListsOf, numbersOf, type Segment } from '../columns/segment.ts';
import type { TrafficRequest } from '../topology/traffic.ts';
import * as requests from './requestColumns.ts';
import type { RequestSpan } from './requestRow.ts';

/** A request as traffic looks at it, with what tells whether it is one of the slow or the failed ones. */
export interface ReadRequest extends TrafficRequest {
  readonly traceId: string;
  readonly durationNs: number;
  readonly failed: boolean;
  /** `service name kind` of the root, as `writeOperation` writes it. */
  readonly entry: string;
}

/** Reads the requests of a segment of columns with their spans, at about 1 µs a span; undefined when there is none in it. */
export function requestReader(segment: Segment): ((row: number) => ReadRequest) | undefined {
  const ids = segment.column(requests.ID);
  if (ids?.type !== 'bytes') return undefined;
  const durations = numbersOf(segment, requests.DURATION);
  const outcome = codesOf(segment, requests.OUTCOME).values;
  const entry = codesOf(segment, requests.ENTRY);
  const roots = codesOf(segment, requests.ROOT_SPAN).values;
  const spansOf = spanReader(segment);
  return (row) => ({
    traceId: hexAt(ids, row),
    durationNs: durations[row],
    failed: (outcome[row] & requests.ROOT_FAILED) !== 0,
    entry: entry.texts[entry.values[row] - 1],
    spans: spansOf(row),
    root: roots[row] - 1,
  });
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
