import type { Trace } from '../trace/assemble.ts';
import { databaseSystem, peerName, protocolOf } from '../trace/peer.ts';
import type { Span } from '../trace/span.ts';
import type { Backoff } from '../trace/time/backoff.ts';
import { type TimeKind, timeKind } from '../trace/time/timeKind.ts';
import { nodeId, peerKind } from './node.ts';

/** The node of whom a client span calls, when that one does not report itself. */
export function peerNode({ attributes }: Pick<Span, 'attributes'>): string {
  return nodeId(peerKind('client', protocolOf(attributes), databaseSystem(attributes) !== undefined), peerName(attributes));
}

/** Whom a back-off is put down to: the one that failed the call. */
export function placeOfBackoff(trace: Trace, { failed, callee }: Backoff): { node: string; party: string; kind: TimeKind } {
  const service = callee === undefined ? undefined : trace.nodes[callee].span.service;
  const { span } = trace.nodes[failed];
  return { node: service ?? peerNode(span), party: service ?? peerName(span.attributes), kind: 'backoff' };
}

/** Whose time it is that a node of a trace has on the critical path, as a node of the map. */
export function placeOnMap(trace: Trace, at: number): { node: string; party: string; kind: TimeKind } {
  const { kind, party } = timeKind(trace, at);
  return { node: kind === 'db' || kind === 'remote' ? peerNode(trace.nodes[at].span) : party, party, kind };
}
