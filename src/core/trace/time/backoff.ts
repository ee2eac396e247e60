import { attempts } from '../../failures/attempts.ts';
import type { Trace } from '../assemble.ts';
import type { Nanos } from '../span.ts';

/** Time between a failed call and the next like it, in which the caller waits to try again. */
export interface Backoff {
  readonly start: Nanos;
  readonly end: Nanos;
  /** The call that failed, and who handled it, when that reports itself: positions in `Trace.nodes`. */
  readonly failed: number;
  readonly callee: number | undefined;
}

/** Back-offs by the span that waits, a position in `Trace.nodes`, each in the order of time. */
export function backoffs(trace: Trace): Map<number, Backoff[]> {
  const found = new Map<number, Backoff[]>();
  for (const { parent, tries } of attempts(trace))
    for (let at = 1; at < tries.length; at++) {
      const failed = tries[at - 1];
      const node = trace.nodes[failed];
      if (node.span.kind !== 'client') continue;
      const callee = node.children.find((child) => trace.nodes[child].span.kind === 'server');
      const pause = { start: node.end, end: trace.nodes[tries[at]].start, failed, callee };
      const known = found.get(parent);
      if (known) known.push(pause);
      else found.set(parent, [pause]);
    }
  return found;
}

interface Segment {
  readonly node: number;
  readonly start: Nanos;
  readonly end: Nanos;
}

/** The same path, its segments cut where a back-off of theirs begins or ends, with the back-off that a segment is. */
export function withBackoffs<T extends Segment>(
  path: readonly T[],
  pauses: ReadonlyMap<number, readonly Backoff[]>,
): (T & { readonly backoff?: Backoff })[] {
  if (pauses.size === 0) return [...path];
  return path.flatMap((segment) => {
    const { start, end } = segment;
    const own = pauses.get(segment.node) ?? [];
    const edges = own.flatMap((pause) => [pause.start, pause.end]);
    const cuts = [...new Set(edges.filter((at) => at > start && at < end))].sort((a, b) => a - b);
    return [start, ...cuts].map((from, at) => {
      const to = cuts[at] ?? end;
      const backoff = own.find((pause) => from >= pause.start && to <= pause.end);
      return { ...segment, start: from, end: to, ...(backoff && { backoff }) };
    });
  });
}
