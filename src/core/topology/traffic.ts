import { isClientError } from '../failures/clientError.ts';
import { addCall, type CallSum, noCalls, type OneCall, sumIn } from '../measures/callSum.ts';
import type { Trace, TraceNode } from '../trace/assemble.ts';
import { databaseSystem, peerName, protocolOf } from '../trace/peer.ts';
import type { CallKind } from './node.ts';

/** Who handles or calls: a service, or one operation of it. */
export interface Place {
  readonly service: string;
  /** Absent where all operations of a service are one. */
  readonly operation?: string;
}

/** Calls of one place to one peer, as the caller's spans name it. */
export interface CallTraffic {
  readonly from: string;
  /** The calling service. */
  readonly service: string;
  readonly peer: string;
  readonly protocol: string;
  readonly kind: CallKind;
  readonly database: boolean;
  /** All of them, as the caller measured them. */
  readonly all: CallSum;
  /** Those that were taken by a span of a service, by the place that took them. */
  readonly takers: Map<string, Taken>;
}

/** Calls of which both sides are known. */
export interface Taken {
  readonly caller: CallSum;
  /** The same calls where the caller's span had been taken by another before. */
  readonly again: CallSum;
  readonly callee: CallSum;
}

/** Requests that a visitor's browser or device made, by the place where they came in. */
export interface VisitTraffic {
  readonly visitor: string;
  readonly to: string;
  readonly figures: CallSum;
}

/** Everything that was asked of whom within a scope; keys of places as `nodeKey` makes them. */
export interface Traffic {
  readonly places: ReadonlyMap<string, Place>;
  /** Requests that each place handled: its server and consumer spans, and what began in it. */
  readonly handled: ReadonlyMap<string, CallSum>;
  readonly calls: readonly CallTraffic[];
  readonly visits: readonly VisitTraffic[];
}

export function nodeKey({ service, operation }: Place): string {
  return operation === undefined ? service : `${service}\n${operation}`;
}

export function nothingTaken(): Taken {
  return { caller: noCalls(), again: noCalls(), callee: noCalls() };
}

/** What tells one `CallTraffic` from another, without the place that calls. */
export function addressKey({ service, peer, protocol, kind, database }: Omit<CallTraffic, 'from' | 'all' | 'takers'>): string {
  return [kind, service, peer, protocol, database ? 'database' : ''].join('\0');
}

/** A request of a visitor, as the page or screen measured it. */
export interface VisitorRequest extends OneCall {
  readonly visitor: string;
}

/**
 * What was asked of whom in some traces.
 *
 * A client or producer span is one call. Its callees are the services of the server spans right below it; without one, the peer that
 * it names. A consumer span is a call out of the queue that it names. A server span whose parent is not there is nobody's callee.
 *
 * @param byOperation whether the operations of a service are told apart; a call is then made by the span that handles the request in
 *   which it is made
 * @param visitsOf the visitor's request that began a trace
 */
export function trafficOf(
  traces: readonly Trace[],
  byOperation = false,
  visitsOf: (trace: Trace) => VisitorRequest | undefined = () => undefined,
): Traffic {
  const places = new Map<string, Place>();
  const handled = new Map<string, CallSum>();
  const calls = new Map<string, CallTraffic>();
  const visits = new Map<string, VisitTraffic>();
  const keyOf = (place: Place) => {
    const key = nodeKey(place);
    if (!places.has(key)) places.set(key, place);
    return key;
  };

  for (const trace of traces) {
    const { nodes } = trace;
    const at: string[] = [];
    for (const [index, node] of nodes.entries()) {
      const { span } = node;
      const isHandling = span.kind === 'server' || span.kind === 'consumer' || span.parentSpanId === null;
      const above = node.parent >= 0 && nodes[node.parent].span.service === span.service ? at[node.parent] : undefined;
      at[index] =
        !byOperation || isHandling || above === undefined
          ? keyOf(byOperation ? { service: span.service, operation: span.name } : { service: span.service })
          : above;
      const one = callOf(node);
      if (isHandling) addCall(sumIn(handled, at[index]), one);
      if (span.kind !== 'client' && span.kind !== 'producer' && span.kind !== 'consumer') continue;
      const call = callIn(calls, at[index], node, span.kind);
      addCall(call.all, one);
      if (span.kind === 'consumer') continue;
      let isFirst = true;
      for (const child of node.children) {
        const below = nodes[child];
        // What lost its parent hangs under the root, and is no callee of it.
        if (below.span.kind !== 'server' || below.span.parentSpanId !== span.spanId) continue;
        const callee = keyOf(
          byOperation ? { service: below.span.service, operation: below.span.name } : { service: below.span.service },
        );
        let taken = call.takers.get(callee);
        if (!taken) {
          taken = nothingTaken();
          call.takers.set(callee, taken);
        }
        addCall(isFirst ? taken.caller : taken.again, one);
        addCall(taken.callee, callOf(below));
        isFirst = false;
      }
    }
    const visit = visitsOf(trace);
    if (visit) {
      const to = at[trace.roots[0]];
      const key = `${visit.visitor}\0${to}`;
      const known = visits.get(key) ?? { visitor: visit.visitor, to, figures: noCalls() };
      visits.set(key, known);
      addCall(known.figures, visit);
    }
  }
  return { places, handled, calls: [...calls.values()], visits: [...visits.values()] };
}

/** A span as one call. */
export function callOf({ span }: TraceNode): OneCall {
  const failed = span.status === 'error';
  return { durationNs: Number(span.end - span.start), failed, clientError: failed && isClientError(span) };
}

function callIn(calls: Map<string, CallTraffic>, from: string, { span }: TraceNode, kind: CallKind): CallTraffic {
  const { service, attributes } = span;
  const peer = peerName(attributes);
  const protocol = protocolOf(attributes);
  const database = databaseSystem(attributes) !== undefined;
  const key = `${from}\0${addressKey({ service, peer, protocol, kind, database })}`;
  let call = calls.get(key);
  if (!call) {
    call = { from, service, peer, protocol, kind, database, all: noCalls(), takers: new Map() };
    calls.set(key, call);
  }
  return call;
}
