import { listsOf } from '../../core/columns/segment.ts';
import * as requests from '../../core/requests/requestColumns.ts';
import { type ReadRequest, requestReader } from '../../core/requests/trafficRows.ts';
import { LookUpCounts } from '../../core/topology/origin/lookUpCounts.ts';
import { GROUPS, groupOfBytes } from '../../core/topology/origin/shareInterval.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { eachRequest } from './requestScope.ts';

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
    const read = requestReader(segment);
    if (!read || ids?.type !== 'bytes') return;
    for (const row of rows)
      if (groups >= GROUPS || groupOfBytes(ids.values, row * ids.width, ids.width) < groups) visit(read(row));
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
