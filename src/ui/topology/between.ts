import type { SumAnswer } from '../../api/map/map.ts';

/**
 * What lies between the two sides of some calls, a call, in nanoseconds: all the time that callers measured without what callees did. Null
 * where the callees report fewer calls than there were.
 */
export function betweenNs(caller: SumAnswer, callee: SumAnswer): number | null {
  // A few that got lost on the way do not matter.
  if (callee.calls === 0 || callee.calls < 0.9 * caller.calls) return null;
  return Math.max(0, caller.totalNs / caller.calls - callee.totalNs / callee.calls);
}
