import { addCalls, type CallSum, noCalls, withoutCalls } from '../measures/callSum.ts';
import { type NodeKind, nodeId, peerKind } from './node.ts';
import type { CallTraffic, Place, Traffic } from './traffic.ts';

export interface GraphNode {
  readonly id: string;
  readonly kind: NodeKind;
  readonly name: string;
  /** Of a service: which, and which of its operations. */
  readonly place?: Place;
  /** Of a group: ids of its members. */
  readonly members?: readonly string[];
  /** Requests that it handled; of what does not report itself, the calls that were made to it. */
  readonly figures: CallSum;
}

/** Calls from one node to another over one protocol. Ids of nodes. */
export interface GraphEdge {
  readonly from: string;
  readonly to: string;
  readonly protocol: string;
  /** As the caller measured them. */
  readonly caller: CallSum;
  /** As the callee measured those that it reports; without calls when it reports none. */
  readonly callee: CallSum;
}

/** Who calls whom, and how it went. */
export interface Graph {
  readonly nodes: readonly GraphNode[];
  readonly edges: readonly GraphEdge[];
}

/**
 * Draws up the graph of some traffic.
 *
 * Of a call whose request is not known, since the spans above it got lost, it is only known which service made it: it is drawn from that
 * service as a whole, also where operations are told apart.
 *
 * @param addressee the service that takes what is sent to an address, where all that was ever taken there was taken by one: a call that
 *   nobody took, since it got lost or came too late, was meant for it
 */
export function graphOf(traffic: Traffic, addressee: (call: CallTraffic) => string | undefined = () => undefined): Graph {
  const nodes = new Map<string, GraphNode>();
  const edges = new Map<string, GraphEdge>();
  for (const [key, figures] of traffic.handled) {
    const place = traffic.places.get(key)!;
    nodes.set(key, { id: key, kind: 'service', name: place.operation ?? place.service, place, figures });
  }
  const ensure = (id: string, kind: NodeKind, name: string, place?: Place): CallSum | undefined => {
    const known = nodes.get(id);
    if (known) return known.kind === 'service' ? undefined : known.figures;
    const figures = noCalls();
    nodes.set(id, { id, kind, name, ...(place ? { place } : {}), figures });
    return kind === 'service' ? undefined : figures;
  };
  const ensureNode = (key: string) => {
    const place = traffic.places.get(key);
    if (place) ensure(key, 'service', place.operation ?? place.service, place);
    else ensure(key, 'service', key, { service: key });
  };
  const join = (from: string, to: string, protocol: string, caller: CallSum, callee?: CallSum) => {
    const key = `${from}\0${to}\0${protocol}`;
    let edge = edges.get(key);
    if (!edge) {
      edge = { from, to, protocol, caller: noCalls(), callee: noCalls() };
      edges.set(key, edge);
    }
    addCalls(edge.caller, caller);
    if (callee) addCalls(edge.callee, callee);
  };

  // Services first, so that a peer of the same name is one of them.
  for (const call of traffic.calls) for (const key of [makerOf(call, traffic), ...call.takers.keys()]) ensureNode(key);
  for (const { to } of traffic.visits) ensureNode(to);

  for (const call of traffic.calls) {
    const from = makerOf(call, traffic);
    const { peer, protocol, kind, database, all, takers } = call;
    const type = peerKind(kind, protocol, database);
    if (kind === 'consumer') {
      const queue = nodeId('queue', peer);
      ensure(queue, 'queue', peer);
      join(queue, from, protocol, all);
      continue;
    }
    let rest = all;
    for (const [taker, { caller, again, callee }] of takers) {
      join(from, taker, protocol, caller, callee);
      if (again.calls > 0) join(from, taker, protocol, again);
      rest = withoutCalls(rest, caller);
    }
    if (rest.calls === 0) continue;
    const service = addressee(call);
    if (service !== undefined) {
      // Of which of its operations the lost call was is not known, unless all were of one.
      const known = [...takers.keys()];
      const to = known.length === 1 ? known[0] : service;
      ensureNode(to);
      join(from, to, protocol, rest);
      continue;
    }
    const id = nodeId(type, peer);
    const into = ensure(id, type, peer);
    if (into) addCalls(into, rest);
    join(from, id, protocol, rest);
  }
  for (const { visitor, to, figures } of traffic.visits) {
    const into = ensure(visitor, 'visitors', visitor);
    if (into) addCalls(into, figures);
    join(visitor, to, '', figures);
  }
  return { nodes: [...nodes.values()], edges: [...edges.values()] };
}

/** By whom a call was made: the operation whose request it is of, or the service where that is not known. */
function makerOf({ from, service }: CallTraffic, { handled }: Traffic): string {
  return handled.has(from) ? from : service;
}
