import type { Trace } from '../assemble.ts';
import type { Nanos, SpanKind } from '../span.ts';
import type { PathSegment } from '../time/criticalPath.ts';
import { likeNumbers } from './like.ts';

/** A trace with its critical path. */
export interface TracedPath {
  readonly trace: Trace;
  readonly path: readonly PathSegment[];
}

/** One side of a row: means over the traces of that side. Times count from the root's start. */
export interface SideOfRow {
  /** Spans a trace. */
  readonly count: number;
  /** Of the traces that have it at all, 0 to 1. */
  readonly presence: number;
  /** Mean start of the first and mean end of the last span, of the traces that have it. */
  readonly startNs: number;
  readonly endNs: number;
  /** Sum of durations a trace. */
  readonly totalNs: number;
  /** What these spans themselves have of the critical path, a trace. */
  readonly pathNs: number;
  readonly failed: number;
  /** One of the spans, of a trace that stands alone. */
  readonly node: number;
}

/** Spans that stand at the same place of the structure: like spans under the same place. */
export interface ComparedRow {
  readonly service: string;
  readonly operation: string;
  readonly kind: SpanKind;
  readonly depth: number;
  /** Position of the place above, −1 for the roots. */
  readonly parent: number;
  readonly a: SideOfRow | null;
  readonly b: SideOfRow | null;
}

interface Place {
  readonly service: string;
  readonly operation: string;
  readonly kind: SpanKind;
  readonly a: Sums;
  readonly b: Sums;
  readonly below: Map<string, Place>;
}

interface Sums {
  traces: number;
  spans: number;
  start: number;
  end: number;
  total: number;
  path: number;
  failed: number;
  node: number;
}

const none = (): Sums => ({ traces: 0, spans: 0, start: 0, end: 0, total: 0, path: 0, failed: 0, node: -1 });

/**
 * Lays two traces, or two sets of them, over each other by structure: like spans (same service, operation, kind) under the same place
 * are one row, roots are one place whatever they are called on either side when there is one of each. Rows come depth first, in the
 * order of their starts.
 *
 * The `pathNs` of the rows sum to the mean duration of a side, so their differences sum to the difference of the durations.
 */
export function compareTraces(a: readonly TracedPath[], b: readonly TracedPath[]): ComparedRow[] {
  const roots = new Map<string, Place>();
  for (const one of a) addTrace(roots, one, 'a');
  for (const one of b) addTrace(roots, one, 'b');
  const rows: ComparedRow[] = [];
  const open = inOrder(roots).map((place) => ({ place, depth: 0, parent: -1 }));
  for (let next = open.pop(); next; next = open.pop()) {
    const { place, depth, parent } = next;
    const { service, operation, kind, below } = place;
    const at = rows.push({ service, operation, kind, depth, parent, a: side(place.a, a.length), b: side(place.b, b.length) }) - 1;
    for (const child of inOrder(below)) open.push({ place: child, depth: depth + 1, parent: at });
  }
  return rows;
}

function addTrace(roots: Map<string, Place>, { trace, path }: TracedPath, which: 'a' | 'b'): void {
  const { nodes } = trace;
  const zero = nodes[trace.roots[0]].start;
  const own = new Float64Array(nodes.length);
  for (const { node, start, end } of path) own[node] += end - start;
  const numbers = likeNumbers(trace);
  const keyOf = new Map<number, string>();
  const places = new Array<Place>(nodes.length);
  const seen = new Map<Place, { start: number; end: number }>();
  for (const [at, { span, parent, start, end }] of nodes.entries()) {
    let key = keyOf.get(numbers[at]);
    if (key === undefined) {
      key = `${span.kind}\0${span.service}\0${span.name}`;
      keyOf.set(numbers[at], key);
    }
    // The earliest root represents the request, so that two requests of different entries can be laid over each other.
    const siblings = parent < 0 ? roots : places[parent].below;
    const wanted = at === trace.roots[0] ? '' : key;
    let place = siblings.get(wanted);
    if (!place) {
      place = { service: span.service, operation: span.name, kind: span.kind, a: none(), b: none(), below: new Map() };
      siblings.set(wanted, place);
    }
    places[at] = place;
    const sums = place[which];
    if (sums.node < 0) sums.node = at;
    sums.spans++;
    sums.total += end - start;
    sums.path += own[at];
    if (span.status === 'error') sums.failed++;
    const reach = seen.get(place);
    if (!reach) seen.set(place, { start: start - zero, end: end - zero });
    else {
      reach.start = Math.min(reach.start, start - zero);
      reach.end = Math.max(reach.end, end - zero);
    }
  }
  for (const [place, { start, end }] of seen) {
    const sums = place[which];
    sums.traces++;
    sums.start += start;
    sums.end += end;
  }
}

/** The last first, as a stack takes them. */
function inOrder(places: ReadonlyMap<string, Place>): Place[] {
  const startOf = ({ a, b }: Place) => (b.traces > 0 ? b.start / b.traces : a.start / a.traces);
  return [...places.values()].sort((x, y) => startOf(y) - startOf(x));
}

function side(sums: Sums, traces: number): SideOfRow | null {
  if (sums.spans === 0) return null;
  return {
    count: sums.spans / traces,
    presence: sums.traces / traces,
    startNs: sums.start / sums.traces,
    endNs: sums.end / sums.traces,
    totalNs: sums.total / traces,
    pathNs: sums.path / traces,
    failed: sums.failed / traces,
    node: sums.node,
  };
}

/** Of some durations, which lie nearest to their median: positions, the nearest first. */
export function nearestToMedian(durations: readonly Nanos[], most: number): number[] {
  const sorted = [...durations].sort((x, y) => x - y);
  const median = sorted[(sorted.length - 1) >> 1];
  return durations
    .map((_, at) => at)
    .sort((x, y) => Math.abs(durations[x] - median) - Math.abs(durations[y] - median) || x - y)
    .slice(0, most);
}
