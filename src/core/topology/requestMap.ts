import type { Trace } from '../trace/assemble.ts';
import { databaseSystem, isTransport, peerName, protocolOf } from '../trace/peer.ts';
import { criticalPath } from '../trace/time/criticalPath.ts';
import { edgeKey } from './compareGraphs.ts';
import { nodeId, peerKind } from './node.ts';
import { peerNode, placeOnMap } from './placeOnMap.ts';

/** What one request touched of the map, in the order in which it did. */
export interface RequestMap {
  readonly nodes: readonly RequestNode[];
  readonly edges: readonly RequestEdge[];
}

export interface RequestNode {
  readonly id: string;
  /** Of the request's duration, 0 to 1. */
  readonly share: number;
  /** Whether a span of it failed, or a call to it did. */
  readonly failed: boolean;
}

export interface RequestEdge {
  readonly from: string;
  readonly to: string;
  readonly protocol: string;
  readonly calls: number;
  readonly failed: number;
  /** Where the first of them comes among all edges, from 1. */
  readonly order: number;
}

/** The map of one request. @param addressee the service that takes what is sent to a peer's name, where that is known */
export function requestMap(trace: Trace, addressee: (peer: string) => string | undefined = () => undefined): RequestMap {
  const { nodes } = trace;
  const shares = new Map<string, number>();
  const failed = new Set<string>();
  const known = (id: string) => addressee(id) ?? id;
  const touch = (id: string, ns = 0) => shares.set(id, (shares.get(id) ?? 0) + ns);
  const calls: { from: string; to: string; protocol: string; start: number; failed: boolean }[] = [];
  for (const { span, children, start } of nodes) {
    touch(span.service);
    const fails = span.status === 'error';
    if (fails) failed.add(span.service);
    if ((span.kind !== 'client' && span.kind !== 'producer' && span.kind !== 'consumer') || isTransport(span)) continue;
    const protocol = protocolOf(span.attributes);
    const base = { protocol, start, failed: fails };
    if (span.kind === 'consumer') {
      const queue = nodeId('queue', peerName(span.attributes));
      touch(queue);
      calls.push({ from: queue, to: span.service, ...base });
      continue;
    }
    const callees = children.filter(
      (child) => nodes[child].span.kind === 'server' && nodes[child].span.parentSpanId === span.spanId,
    );
    for (const child of callees) calls.push({ from: span.service, to: nodes[child].span.service, ...base });
    if (callees.length > 0) continue;
    const isDatabase = databaseSystem(span.attributes) !== undefined;
    const to = known(
      span.kind === 'client' ? peerNode(span) : nodeId(peerKind(span.kind, protocol, isDatabase), peerName(span.attributes)),
    );
    touch(to);
    if (fails) failed.add(to);
    calls.push({ from: span.service, to, ...base });
  }
  const path = criticalPath(trace);
  for (const { node, start, end } of path) touch(known(placeOnMap(trace, node).node), end - start);
  const total = path.reduce((sum, { start, end }) => sum + end - start, 0);

  const edges = new Map<string, { from: string; to: string; protocol: string; calls: number; failed: number; order: number }>();
  for (const { start: _, failed: fails, ...ends } of calls.sort((a, b) => a.start - b.start)) {
    const key = edgeKey(ends);
    const edge = edges.get(key) ?? { ...ends, calls: 0, failed: 0, order: edges.size + 1 };
    edges.set(key, edge);
    edge.calls++;
    if (fails) edge.failed++;
  }
  return {
    nodes: [...shares].map(([id, ns]) => ({ id, share: total === 0 ? 0 : ns / total, failed: failed.has(id) })),
    edges: [...edges.values()],
  };
}
