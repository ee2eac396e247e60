import { addCall, type CallSum, noCalls } from '../../src/core/measures/callSum.ts';
import type { Trace } from '../../src/core/trace/assemble.ts';

/** The span that a trace began with. */
export const rootOf = (trace: Trace) => trace.nodes[trace.roots[0]].span;

/** How long some requests took, by their roots; failures are looked at by themselves. */
export function durationsOf(traces: readonly Trace[]): CallSum {
  const sum = noCalls();
  for (const trace of traces) {
    const { start, end } = rootOf(trace);
    addCall(sum, { durationNs: Number(end - start), failed: false, clientError: false });
  }
  return sum;
}
