import type { Trace } from '../assemble.ts';
import { databaseSystem, isTransport, peerName } from '../peer.ts';
import type { Span } from '../span.ts';
import { isServerSide } from '../synchronous.ts';

/** What a stretch of the critical path was spent on; the order is the one they are drawn in. */
export const TIME_KINDS = ['own', 'db', 'lock', 'io', 'pool', 'remote', 'queue', 'gap', 'backoff'] as const;
export type TimeKind = (typeof TIME_KINDS)[number];

export interface PartyKind {
  readonly kind: TimeKind;
  /** The span's service for own, pool and gap; whom it calls for db and remote. */
  readonly party: string;
}

/** What the time is that a node itself has on the critical path, and whose it is. First match wins. */
export function timeKind(trace: Trace, node: number): PartyKind {
  const { span } = trace.nodes[node];
  if (isPoolWait(span)) return { kind: 'pool', party: span.service };
  if (span.kind !== 'client') return { kind: 'own', party: span.service };
  // The way to whom the parent calls.
  if (isTransport(span)) return { kind: 'gap', party: span.service };
  const parent = trace.nodes[node];
  if (parent.children.some((child) => isServerSide(parent, trace.nodes[child]))) return { kind: 'gap', party: span.service };
  return { kind: databaseSystem(span.attributes) ? 'db' : 'remote', party: peerName(span.attributes) };
}

/** Span names by which common driver instrumentations tell that a connection is being waited for. */
const ACQUIRE_NAMES = /^(pg-pool\.connect|sql\.connector\.connect|\w*DataSource\.getConnection|acquire connection)$/;

function isPoolWait(span: Span): boolean {
  return span.attributes['lantern.wait'] === 'pool' || ACQUIRE_NAMES.test(span.name);
}
