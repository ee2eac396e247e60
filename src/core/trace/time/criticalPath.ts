import type { Trace, TraceNode } from '../assemble.ts';
import type { Nanos } from '../span.ts';
import { isServerSide, isSynchronous } from '../synchronous.ts';

/** A stretch of time on the critical path that is one span's own. `node` is a position in `Trace.nodes`. */
export interface PathSegment {
  readonly node: number;
  readonly start: Nanos;
  readonly end: Nanos;
  /** In a flow: the queue in which the message waited that this span took; the stretch is that wait. */
  readonly queue?: string;
}

/**
 * The critical path of the trace's first root, in order of time.
 *
 * Walks back from the root's end. At each moment the span was held up by the child that ended last before it (or at most a
 * hundredth of that child's duration, 1 ms at the most, after it: clocks and callbacks are not exact), or by a server side that
 * outlived its caller; time that no child accounts for is the span's own. The segments are disjoint and their lengths sum to the
 * root's duration exactly. O(n log n) for any shape of trace: each child is entered into and leaves a heap once.
 */
export function criticalPath(trace: Trace): PathSegment[] {
  const root = trace.nodes[trace.roots[0]];
  return pathWithin(trace, { node: trace.roots[0], from: root.start, to: root.end });
}

/** The same for a stretch of one span's time: what held it up then. The lengths sum to the stretch, as far as the span covers it. */
export function pathWithin(trace: Trace, stretch: Cut): PathSegment[] {
  const segments: PathSegment[] = [];
  const open = [stretch];
  for (let cut = open.pop(); cut; cut = open.pop()) walkBack(trace, cut, segments, open);
  segments.sort((a, b) => a.start - b.start);
  return merged(segments);
}

/** A stretch of time in which a span is looked at. */
export interface Cut {
  readonly node: number;
  readonly from: Nanos;
  readonly to: Nanos;
}

function walkBack(trace: Trace, cut: Cut, segments: PathSegment[], open: Cut[]): void {
  const span = trace.nodes[cut.node];
  const lo = Math.max(span.start, cut.from);
  let t = Math.min(span.end, cut.to);
  const waitedFor = span.children.filter((index) => {
    const child = trace.nodes[index];
    return isSynchronous(child) && child.end > child.start && child.end > lo && child.start < t;
  });
  // Latest end first; of those that end together the later start, then the lower span id.
  const latestEnd = waitedFor.sort((a, b) => trace.nodes[b].end - trace.nodes[a].end || laterStart(trace.nodes, a, b));
  const reachingT = new Heap((a, b) => laterStart(trace.nodes, a, b));
  let next = 0;
  while (t > lo) {
    while (next < latestEnd.length && trace.nodes[latestEnd[next]].end >= t) reachingT.push(latestEnd[next++]);
    // As t only moves back, a child that began at t or later, or that ran on too long past t, is never eligible again.
    while (reachingT.size > 0 && !eligibleAt(span, trace.nodes[reachingT.top()], t)) reachingT.pop();
    const chosen = reachingT.size > 0 ? reachingT.pop() : next < latestEnd.length ? latestEnd[next++] : -1;
    const end = chosen < 0 ? lo : Math.min(trace.nodes[chosen].end, t);
    if (t > end) segments.push({ node: cut.node, start: end, end: t });
    if (chosen < 0) return;
    open.push({ node: chosen, from: lo, to: end });
    t = Math.max(trace.nodes[chosen].start, lo);
  }
}

function eligibleAt(parent: TraceNode, child: TraceNode, t: Nanos): boolean {
  const tolerance = Math.min((child.end - child.start) / 100, 1_000_000);
  return child.start < t && (child.end <= t + tolerance || isServerSide(parent, child));
}

function laterStart(nodes: readonly TraceNode[], a: number, b: number): number {
  return nodes[b].start - nodes[a].start || (nodes[a].span.spanId < nodes[b].span.spanId ? -1 : 1);
}

function merged(segments: readonly PathSegment[]): PathSegment[] {
  const result: PathSegment[] = [];
  for (const segment of segments) {
    const last = result.at(-1);
    if (last?.node === segment.node && last.end === segment.start) result[result.length - 1] = { ...last, end: segment.end };
    else result.push(segment);
  }
  return result;
}

/** A binary heap of node positions; `order` puts the one wanted first below zero. */
class Heap {
  readonly #items: number[] = [];
  readonly #order: (a: number, b: number) => number;

  constructor(order: (a: number, b: number) => number) {
    this.#order = order;
  }

  get size(): number {
    return this.#items.length;
  }

  top(): number {
    return this.#items[0];
  }

  push(item: number): void {
    const items = this.#items;
    let at = items.push(item) - 1;
    while (at > 0) {
      const up = (at - 1) >> 1;
      if (this.#order(items[at], items[up]) >= 0) return;
      [items[at], items[up]] = [items[up], items[at]];
      at = up;
    }
  }

  pop(): number {
    const items = this.#items;
    const top = items[0];
    const last = items.pop()!;
    if (items.length === 0) return top;
    items[0] = last;
    for (let at = 0; ; ) {
      const left = 2 * at + 1;
      let best = at;
      if (left < items.length && this.#order(items[left], items[best]) < 0) best = left;
      if (left + 1 < items.length && this.#order(items[left + 1], items[best]) < 0) best = left + 1;
      if (best === at) return top;
      [items[at], items[best]] = [items[best], items[at]];
      at = best;
    }
  }
}
