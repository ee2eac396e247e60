import { isClientError } from '../failures/clientError.ts';
import { addCall, type CallSum, noCalls, type OneCall, sumIn } from '../measures/callSum.ts';
import type { Trace, TraceNode } from '../trace/assemble.ts';
import { databaseSystem, isTransport, peerName, protocolOf } from '../trace/peer.ts';
import type { SpanKind } from '../trace/span.ts';
import { foundInCache } from './cacheAnswer.ts';
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

/** A span as traffic looks at it. */
export interface TrafficSpan {
  readonly operation: { readonly service: string; readonly name: string; readonly kind: SpanKind };
  /** Index of the parent among the spans of the request; -1 when it has none or the parent is absent. */
  readonly parent: number;
  readonly hasParentId: boolean;
  readonly durationNs: number;
  readonly failed: boolean;
  readonly clientError: boolean;
  /** null unless it is a client, producer or consumer span. */
  readonly call: {
    readonly peer: string;
    readonly protocol: string;
    readonly database: boolean;
    /** Of a look-up in a cache: whether it found something, where the span says so. */
    readonly found?: boolean;
  } | null;
}

/** The spans of a request, in any order. */
export interface TrafficRequest {
  readonly spans: readonly TrafficSpan[];
  /** Index of the root. */
  readonly root: number;
}

/**
 * Adds up what was asked of whom, one request at a time.
 *
 * A client or producer span is one call. Its callees are the services of the server spans right below it; without one, the peer that
 * it names. A consumer span is a call out of the queue that it names. A server span whose parent is not there is nobody's callee.
 */
export class TrafficSums {
  readonly #byOperation: boolean;
  readonly #places = new Map<string, Place>();
  readonly #handled = new Map<string, CallSum>();
  readonly #calls = new Map<string, CallTraffic>();
  readonly #visits = new Map<string, VisitTraffic>();
  /** What was worked out of operations and targets before: the same objects come again by the thousand. */
  readonly #keys = new WeakMap<TrafficSpan['operation'], string>();
  readonly #callsTo = new WeakMap<NonNullable<TrafficSpan['call']>, Map<string, CallTraffic>>();

  /**
   * @param byOperation whether the operations of a service are distinguished; a call is then made by the span that handles the request in
   *   which it is made
   */
  constructor(byOperation = false) {
    this.#byOperation = byOperation;
  }

  /** How many places handle something, and how many calls are told apart. */
  get size(): number {
    return this.#handled.size + this.#calls.size;
  }

  /** @param visit the visitor's request that began it */
  add({ spans, root }: TrafficRequest, visit?: VisitorRequest): void {
    const at = this.#placesOf(spans, root);
    const isTaken = new Set<number>();
    const callOfSpan = new Map<number, CallTraffic>();
    for (const [index, span] of spans.entries()) {
      const { kind } = span.operation;
      if (isHandling(span)) addCall(sumIn(this.#handled, at[index]), span);
      if (!span.call || (kind !== 'client' && kind !== 'producer' && kind !== 'consumer')) continue;
      const call = this.#callIn(at[index], span.operation.service, span.call, kind);
      addCall(call.all, span);
      if (kind !== 'consumer') callOfSpan.set(index, call);
    }
    for (const below of spans) {
      // What lost its parent hangs under the root, and is no callee of it.
      const call = below.operation.kind === 'server' ? callOfSpan.get(below.parent) : undefined;
      if (!call) continue;
      const callee = this.#keyOf(below);
      let taken = call.takers.get(callee);
      if (!taken) {
        taken = nothingTaken();
        call.takers.set(callee, taken);
      }
      addCall(isTaken.has(below.parent) ? taken.again : taken.caller, spans[below.parent]);
      addCall(taken.callee, below);
      isTaken.add(below.parent);
    }
    if (visit) this.#addVisit(visit, at[root]);
  }

  /** All that was added. */
  traffic(): Traffic {
    return {
      places: this.#places,
      handled: this.#handled,
      calls: [...this.#calls.values()],
      visits: [...this.#visits.values()],
    };
  }

  #keyOf({ operation }: TrafficSpan): string {
    let key = this.#keys.get(operation);
    if (key === undefined) {
      const { service, name } = operation;
      const place = this.#byOperation ? { service, operation: name } : { service };
      key = nodeKey(place);
      if (!this.#places.has(key)) this.#places.set(key, place);
      this.#keys.set(operation, key);
    }
    return key;
  }

  /** Where each span is: of operations, at the span of its service that handles the request. */
  #placesOf(spans: readonly TrafficSpan[], root: number): string[] {
    if (!this.#byOperation) return spans.map((span) => this.#keyOf(span));
    return spans.map((span, index) => {
      let handling = index;
      // A circle of parents ends the way up.
      for (let left = spans.length; left > 0 && !isHandling(spans[handling]); left--) {
        const above = parentOf(spans, handling, root);
        if (above < 0 || spans[above].operation.service !== span.operation.service) break;
        handling = above;
      }
      return this.#keyOf(spans[handling]);
    });
  }

  #callIn(from: string, service: string, target: NonNullable<TrafficSpan['call']>, kind: CallKind): CallTraffic {
    const known = this.#callsTo.get(target)?.get(from);
    if (known?.kind === kind) return known;
    const { peer, protocol, database } = target;
    const key = `${from}\0${addressKey({ service, peer, protocol, kind, database })}`;
    let call = this.#calls.get(key);
    if (!call) {
      call = { from, service, peer, protocol, kind, database, all: noCalls(), takers: new Map() };
      this.#calls.set(key, call);
    }
    const byCaller = this.#callsTo.get(target) ?? new Map<string, CallTraffic>();
    this.#callsTo.set(target, byCaller.set(from, call));
    return call;
  }

  #addVisit(visit: VisitorRequest, to: string): void {
    const key = `${visit.visitor}\0${to}`;
    const known = this.#visits.get(key) ?? { visitor: visit.visitor, to, figures: noCalls() };
    this.#visits.set(key, known);
    addCall(known.figures, visit);
  }
}

function isHandling({ operation: { kind }, hasParentId }: TrafficSpan): boolean {
  return kind === 'server' || kind === 'consumer' || !hasParentId;
}

/** A span whose parent is absent hangs under the root. */
function parentOf(spans: readonly TrafficSpan[], index: number, root: number): number {
  const { parent, hasParentId } = spans[index];
  return parent >= 0 || !hasParentId || index === root ? parent : root;
}

/** What was asked of whom in some traces. @param visitOf the visitor's request that began a trace */
export function trafficOf(
  traces: readonly Trace[],
  byOperation = false,
  visitOf: (trace: Trace) => VisitorRequest | undefined = () => undefined,
): Traffic {
  const sums = new TrafficSums(byOperation);
  for (const trace of traces) sums.add(trafficRequest(trace), visitOf(trace));
  return sums.traffic();
}

/** A trace as traffic looks at it. */
export function trafficRequest(trace: Trace): TrafficRequest {
  return { spans: trace.nodes.map((_, at) => spanOf(trace, at)), root: trace.roots[0] };
}

function spanOf({ nodes }: Trace, at: number): TrafficSpan {
  const node = nodes[at];
  const { service, name, kind, parentSpanId, attributes } = node.span;
  const isOwnParent = node.parent >= 0 && nodes[node.parent].span.spanId === parentSpanId;
  const calls = (kind === 'client' || kind === 'producer' || kind === 'consumer') && !isTransport(node.span);
  const found = foundInCache(node.span);
  return {
    ...callOf(node),
    operation: { service, name, kind },
    parent: isOwnParent ? node.parent : -1,
    hasParentId: parentSpanId !== null,
    call: calls
      ? {
          peer: peerName(attributes),
          protocol: protocolOf(attributes),
          database: databaseSystem(attributes) !== undefined,
          ...(found !== undefined && { found }),
        }
      : null,
  };
}

/** A span as one call. */
export function callOf({ span }: TraceNode): OneCall {
  const failed = span.status === 'error';
  return { durationNs: Number(span.end - span.start), failed, clientError: failed && isClientError(span) };
}
