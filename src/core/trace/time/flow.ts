import { assemble, type Trace } from '../assemble.ts';
import { textOf } from '../attributeNames.ts';
import type { Nanos, Span, SpanId } from '../span.ts';
import { criticalPath, type PathSegment, pathWithin } from './criticalPath.ts';

/** A wait between the sending of a message and its taking. Positions in `Trace.nodes`. */
export interface QueueWait {
  readonly producer: number;
  readonly consumer: number;
  /** Where it waited. */
  readonly destination: string;
  readonly start: Nanos;
  readonly end: Nanos;
}

/** Traces joined by messages into one tree. */
export interface Flow {
  readonly trace: Trace;
  readonly waits: readonly QueueWait[];
  /** From the root's start to the end of what was done last; disjoint, in order, summing to that length. */
  readonly path: readonly PathSegment[];
}

/**
 * Joins traces whose consumers name, by link, the span that sent them their message: such a consumer, when it is its trace's root,
 * hangs under that span. What is linked otherwise stays a further root.
 *
 * @param spans of all traces, in any order
 * @param first the trace whose root is the flow's
 */
export function joinFlow(spans: readonly Span[], first: string): Flow | undefined {
  const known = new Set<SpanId>(spans.map((span) => span.spanId));
  const trace = assemble(
    spans.map((span) => {
      if (span.parentSpanId !== null || span.traceId === first) return span;
      const sender = span.links.find((link) => known.has(link.spanId) && link.spanId !== span.spanId);
      return sender ? { ...span, parentSpanId: sender.spanId } : span;
    }),
  );
  if (!trace) return undefined;
  const waits = queueWaits(trace);
  return { trace, waits, path: flowPath(trace, waits) };
}

/** Where messages waited: between a producer's end and the start of its consumer, within one trace or between joined ones. */
export function queueWaits({ nodes }: Trace): QueueWait[] {
  return nodes.flatMap(({ span, parent, start }, consumer) => {
    if (span.kind !== 'consumer' || parent < 0) return [];
    const producer = nodes[parent];
    if (producer.span.kind !== 'producer' || start <= producer.end) return [];
    const destination =
      textOf(span.attributes, 'messaging.destination.name') ??
      textOf(producer.span.attributes, 'messaging.destination.name') ??
      'unknown';
    return [{ producer: parent, consumer, destination, start: producer.end, end: start }];
  });
}

/**
 * What held up the end of a flow. When the last thing done came out of a queue: the path to the sending of that message, the wait, and
 * the path of what was done with it; else the critical path of the root.
 */
function flowPath(trace: Trace, waits: readonly QueueWait[]): PathSegment[] {
  const { nodes } = trace;
  const root = nodes[trace.roots[0]];
  const ofConsumer = new Map(waits.map((wait) => [wait.consumer, wait]));
  let last: QueueWait | undefined;
  for (const wait of waits)
    if (nodes[wait.consumer].end > root.end && (!last || nodes[wait.consumer].end > nodes[last.consumer].end)) last = wait;
  if (!last) return criticalPath(trace);
  const segments = pathWithin(trace, { node: last.consumer, from: nodes[last.consumer].start, to: nodes[last.consumer].end });
  for (let wait: QueueWait | undefined = last; wait; ) {
    segments.push({ node: wait.consumer, start: wait.start, end: wait.end, queue: wait.destination });
    let to = wait.start;
    let at = wait.producer;
    wait = undefined;
    // Up to the root, or to the consumer that this part of the flow began with.
    for (; at >= 0; at = nodes[at].parent) {
      const from = Math.min(nodes[at].start, to);
      for (const part of pathWithin(trace, { node: at, from, to })) segments.push(part);
      to = from;
      wait = ofConsumer.get(at);
      if (wait) break;
    }
  }
  return segments.sort((a, b) => a.start - b.start || a.end - b.end);
}
