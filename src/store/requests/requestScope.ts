import { noteLeftOut } from '../scope/leftOut.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { eachMatching, type MatchingRows, type MatchWork } from './matchingRequests.ts';

/** Goes through the requests that a filter leaves, the latest stretch of time first, and notes how many could not be looked at. */
export async function eachRequest(filter: TraceFilter, visit: (found: MatchingRows) => void, work?: MatchWork): Promise<void> {
  const { from, to, clockOutOfRange, ...narrowing } = filter;
  const range = { from, to, clockOutOfRange: clockOutOfRange === true };
  noteLeftOut(await eachMatching(range, narrowing, visit, work));
}
