import { addCall, type CallSum, noCalls, sumIn } from '../measures/callSum.ts';
import type { Trace, TraceNode } from '../trace/assemble.ts';
import { type InstanceOf, instanceOf } from '../trace/instance.ts';
import { databaseSystem, peerName, protocolOf } from '../trace/peer.ts';
import type { Attributes, SpanKind } from '../trace/span.ts';
import { nodeId, peerKind } from './node.ts';
import { callOf, type VisitorRequest } from './traffic.ts';

const MINUTE_NS = 60_000_000_000n;

/** Calls by the stretch of time in which they began, which is counted in stretches since 1970-01-01. */
export type OverTime = ReadonlyMap<number, CallSum>;

/** What one service did in some traces. */
export interface ServiceFigures {
  /** Requests that it handled: its server and consumer spans, and what began in it. */
  readonly overTime: OverTime;
  readonly instances: readonly { readonly of: InstanceOf; readonly sum: CallSum }[];
  /** All its spans. */
  readonly operations: readonly { readonly name: string; readonly kind: SpanKind; readonly sum: CallSum }[];
}

/** Counts what a service did in some traces. @param step minutes of a stretch of time */
export function serviceFigures(traces: readonly Trace[], service: string, step: number): ServiceFigures {
  const overTime = new Map<number, CallSum>();
  const operations = new Map<string, { name: string; kind: SpanKind; sum: CallSum }>();
  const instances = new Map<string, { of: InstanceOf; sum: CallSum }>();
  // Spans of one resource share one object.
  const keys = new Map<Attributes, string>();
  for (const node of spansOf(traces, (it) => it.span.service === service)) {
    const { kind, name, parentSpanId, resource } = node.span;
    const one = callOf(node);
    const named = `${kind} ${name}`;
    const operation = operations.get(named) ?? { name, kind, sum: noCalls() };
    operations.set(named, operation);
    addCall(operation.sum, one);
    if (kind !== 'server' && kind !== 'consumer' && parentSpanId !== null) continue;
    addCall(sumIn(overTime, stretchOf(node, step)), one);
    let instanceKey = keys.get(resource);
    if (instanceKey === undefined) {
      const of = instanceOf(resource, service);
      instanceKey = Object.values(of).join('\0');
      keys.set(resource, instanceKey);
      if (!instances.has(instanceKey)) instances.set(instanceKey, { of, sum: noCalls() });
    }
    addCall(instances.get(instanceKey)!.sum, one);
  }
  return { overTime, instances: [...instances.values()], operations: [...operations.values()] };
}

/** The calls to a node of the map that does not report itself, over time. @param id of the node @param step minutes of a stretch */
export function callsOverTime(traces: readonly Trace[], id: string, step: number): OverTime {
  const overTime = new Map<number, CallSum>();
  const goesThere = ({ span: { kind, attributes } }: TraceNode) => {
    if (kind !== 'client' && kind !== 'producer') return false;
    const isDatabase = databaseSystem(attributes) !== undefined;
    return nodeId(peerKind(kind, protocolOf(attributes), isDatabase), peerName(attributes)) === id;
  };
  for (const node of spansOf(traces, goesThere)) addCall(sumIn(overTime, stretchOf(node, step)), callOf(node));
  return overTime;
}

/** The requests of one kind of visitor over time. @param visitOf the visitor's request that began a trace @param step minutes of a stretch */
export function visitorOverTime(
  traces: readonly Trace[],
  visitOf: (trace: Trace) => VisitorRequest | undefined,
  visitor: string,
  step: number,
): OverTime {
  const overTime = new Map<number, CallSum>();
  for (const trace of traces) {
    const visit = visitOf(trace);
    if (visit?.visitor === visitor) addCall(sumIn(overTime, stretchOf(trace.nodes[trace.roots[0]], step)), visit);
  }
  return overTime;
}

function* spansOf(traces: readonly Trace[], isWanted: (node: TraceNode) => boolean): Generator<TraceNode> {
  for (const { nodes } of traces) for (const node of nodes) if (isWanted(node)) yield node;
}

function stretchOf({ span }: TraceNode, step: number): number {
  return Math.floor(Number(span.start / MINUTE_NS) / step);
}
