import type { Trace } from './assemble.ts';
import type { Nanos } from './span.ts';

/** Per node: its duration less the time in which at least one child ran, children clipped to the span. */
export function selfTimes(trace: Trace): Nanos[] {
  return trace.nodes.map((node) => {
    let covered = 0;
    let reach = node.start;
    // Children come sorted by start, so one pass measures their union.
    for (const index of node.children) {
      const child = trace.nodes[index];
      const from = Math.max(child.start, reach);
      const to = Math.min(child.end, node.end);
      if (to > from) {
        covered += to - from;
        reach = to;
      }
    }
    return node.end - node.start - covered;
  });
}
