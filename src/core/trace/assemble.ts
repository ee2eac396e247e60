import { skewShift } from './clockSkew.ts';
import type { EpochNanos, Nanos, Span, SpanId, TraceId } from './span.ts';

/** A span in its place in the tree. Indices are positions in `Trace.nodes`; -1 is "none". */
export interface TraceNode {
  readonly span: Span;
  readonly parent: number;
  /** By start, then span id. */
  readonly children: readonly number[];
  readonly depth: number;
  /** From the trace's first start, after the clock shift. */
  readonly start: Nanos;
  readonly end: Nanos;
  /** What was added to the sender's times to undo clock skew; the raw start is `start - shift`. */
  readonly shift: Nanos;
}

/** What is broken in a trace and how it was read all the same. */
export type TraceProblem =
  | { readonly type: 'missing-parent'; readonly spanId: SpanId; readonly parentSpanId: SpanId }
  | { readonly type: 'further-root'; readonly spanId: SpanId }
  | { readonly type: 'duplicate'; readonly spanId: SpanId }
  | { readonly type: 'cycle'; readonly spanId: SpanId }
  | { readonly type: 'clock-skew'; readonly spanId: SpanId; readonly shiftNs: Nanos }
  | { readonly type: 'time-out-of-range'; readonly spanId: SpanId };

/** One trace as a tree (or a forest, when several spans have no parent). */
export interface Trace {
  readonly traceId: TraceId;
  /** The earliest start as sent. */
  readonly start: EpochNanos;
  /** Depth first, so that a node's descendants follow it without a gap. */
  readonly nodes: readonly TraceNode[];
  /** The first is the earliest root: the trace's duration and critical path are its. */
  readonly roots: readonly number[];
  readonly problems: readonly TraceProblem[];
}

interface Draft {
  span: Span;
  parent: Draft | null;
  children: Draft[];
  start: Nanos;
  end: Nanos;
  shift: Nanos;
  /** The walk up the tree that reached it first, while cycles are looked for; −1 for none yet. */
  walk: number;
}

/** Beyond this an offset would not be exact: about 52 days. */
const FURTHEST = 2 ** 52;

/**
 * Builds the tree of one trace from its spans, given in any order.
 *
 * Never throws on broken input: a span whose parent is absent hangs under the earliest root, a second span with the same id is
 * left out, a cycle is cut at its earliest span, a time further than 52 days from the first start is pulled back to that limit.
 * Each is listed in `problems`. When no span is without a parent, the earliest of those whose parent is absent is the root.
 *
 * @returns undefined when `spans` is empty
 */
export function assemble(spans: readonly Span[]): Trace | undefined {
  if (spans.length === 0) return undefined;
  const problems: TraceProblem[] = [];
  const byId = new Map<SpanId, Draft>();
  let first = spans[0].start;
  for (const span of spans) if (span.start < first) first = span.start;

  for (const span of spans) {
    if (byId.has(span.spanId)) {
      problems.push({ type: 'duplicate', spanId: span.spanId });
      continue;
    }
    byId.set(span.spanId, { span, parent: null, children: [], shift: 0, walk: -1, ...offsets(span, first, problems) });
  }

  const drafts = [...byId.values()];
  const roots: Draft[] = [];
  const detached: Draft[] = [];
  for (const draft of drafts) {
    const parentId = draft.span.parentSpanId;
    if (parentId === null) roots.push(draft);
    else {
      draft.parent = byId.get(parentId) ?? null;
      if (!draft.parent) {
        detached.push(draft);
        problems.push({ type: 'missing-parent', spanId: draft.span.spanId, parentSpanId: parentId });
      }
    }
  }
  for (const draft of cutCycles(drafts)) {
    detached.push(draft);
    problems.push({ type: 'cycle', spanId: draft.span.spanId });
  }

  roots.sort(byStart);
  detached.sort(byStart);
  if (roots.length === 0) roots.push(detached.shift()!);
  for (const later of roots.slice(1)) problems.push({ type: 'further-root', spanId: later.span.spanId });
  for (const draft of detached) draft.parent = roots[0];
  for (const draft of drafts) draft.parent?.children.push(draft);

  correctClocks(roots, problems);
  for (const { children } of drafts) if (!isInOrder(children)) children.sort(byStart);
  return { traceId: spans[0].traceId, start: first, problems, ...layOut(roots) };
}

function offsets(span: Span, first: EpochNanos, problems: TraceProblem[]): { start: Nanos; end: Nanos } {
  const start = Number(span.start - first);
  const end = Number(span.end - first);
  if (start <= FURTHEST && end <= FURTHEST && end >= start) return { start, end };
  problems.push({ type: 'time-out-of-range', spanId: span.spanId });
  const clipped = Math.min(start, FURTHEST);
  return { start: clipped, end: Math.max(clipped, Math.min(end, FURTHEST)) };
}

function byStart(a: Draft, b: Draft): number {
  return a.start - b.start || (a.span.spanId < b.span.spanId ? -1 : 1);
}

/** Most siblings are one, or came in order. */
function isInOrder(children: readonly Draft[]): boolean {
  for (let at = 1; at < children.length; at++) if (byStart(children[at - 1], children[at]) > 0) return false;
  return true;
}

/** Cuts every cycle of parents at its earliest span and returns the spans that lost their parent so. */
function cutCycles(drafts: readonly Draft[]): Draft[] {
  const cut: Draft[] = [];
  drafts.forEach((from, walk) => {
    let at: Draft | null = from;
    while (at && at.walk < 0) {
      at.walk = walk;
      at = at.parent;
    }
    if (!at || at.walk !== walk) return;
    let earliest = at;
    for (let on = at.parent!; on !== at; on = on.parent!) if (byStart(on, earliest) < 0) earliest = on;
    earliest.parent = null;
    cut.push(earliest);
  });
  return cut;
}

function correctClocks(roots: readonly Draft[], problems: TraceProblem[]): void {
  const open = [...roots];
  for (let parent = open.pop(); parent; parent = open.pop()) {
    for (const child of parent.children) {
      // The subtree moves as one: first with its parent, then by what its own clock is off.
      child.start += parent.shift;
      child.end += parent.shift;
      const own = skewShift(parent, child);
      child.start += own;
      child.end += own;
      child.shift = parent.shift + own;
      if (own !== 0) problems.push({ type: 'clock-skew', spanId: child.span.spanId, shiftNs: own });
      open.push(child);
    }
  }
}

function layOut(roots: readonly Draft[]): Pick<Trace, 'nodes' | 'roots'> {
  const nodes: (TraceNode & { children: number[] })[] = [];
  const rootIndices: number[] = [];
  const open = [...roots].reverse();
  const parents = open.map(() => -1);
  for (let draft = open.pop(); draft; draft = open.pop()) {
    const parent = parents.pop()!;
    const index = nodes.length;
    const { span, start, end, shift } = draft;
    nodes.push({ span, parent, children: [], depth: parent < 0 ? 0 : nodes[parent].depth + 1, start, end, shift });
    if (parent < 0) rootIndices.push(index);
    else nodes[parent].children.push(index);
    for (let i = draft.children.length - 1; i >= 0; i--) {
      open.push(draft.children[i]);
      parents.push(index);
    }
  }
  return { nodes, roots: rootIndices };
}
