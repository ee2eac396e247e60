/**
 * What a node of the map is: a service that reports itself, the device or browser of visitors, a peer that only its callers report, or several
 * services taken together.
 */
export const NODE_KINDS = ['service', 'visitors', 'database', 'cache', 'queue', 'peer', 'group'] as const;
export type NodeKind = (typeof NODE_KINDS)[number];

/** Systems that hold what can be had elsewhere, by what senders call them. */
const CACHES: ReadonlySet<string> = new Set(['keyvalue', 'redis', 'valkey', 'memcached', 'cache']);

/** Kind of the spans by which a peer is known. */
export type CallKind = 'client' | 'producer' | 'consumer';

/** What kind of thing is called, by the attributes of the call. @param isDatabase whether the call says that it is one to a database */
export function peerKind(kind: CallKind, protocol: string, isDatabase: boolean): NodeKind {
  if (kind !== 'client') return 'queue';
  if (!isDatabase) return 'peer';
  return CACHES.has(protocol.toLowerCase()) ? 'cache' : 'database';
}

/**
 * By what a node is known everywhere. A peer of a service's name is that service, seen from outside; a database or a queue of that name is
 * something else.
 */
export function nodeId(kind: NodeKind, name: string): string {
  return kind === 'service' || kind === 'visitors' || kind === 'peer' ? name : `${kind}:${name}`;
}

/** The name of a node by its id: ids of what does not report itself begin with its kind. */
export function nodeName(id: string): string {
  return id.replace(/^(database|cache|queue|peer):/, '');
}
