import { numbersOf } from '../../core/columns/segment.ts';
import { DURATION, START } from '../../core/requests/requestColumns.ts';
import type { TraceId } from '../../core/trace/span.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { idAt } from './requestPoints.ts';
import { eachRequest } from './requestScope.ts';

/** Of the requests that a filter leaves the one whose duration is nearest to one, as a ratio; of equals the latest. @param durationNs over 0 */
export async function nearestRequest(filter: TraceFilter, durationNs: number): Promise<TraceId | undefined> {
  let best: { readonly distance: number; readonly start: bigint; readonly id: string } | undefined;
  await eachRequest(filter, ({ segment, from, rows }) => {
    const ns = numbersOf(segment, DURATION);
    const starts = numbersOf(segment, START);
    for (const row of rows) {
      const distance = Math.abs(Math.log(Math.max(ns[row], 1)) - Math.log(durationNs));
      if (best && distance > best.distance) continue;
      const start = from + BigInt(starts[row]);
      if (!best || distance < best.distance || start > best.start) best = { distance, start, id: idAt(segment, row) };
    }
  });
  return best?.id as TraceId | undefined;
}
