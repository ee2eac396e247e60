import { type Attributes, textAttribute } from './span.ts';

/**
 * Today's names of the semantic conventions that the computations read, with the names they had before, the latest first: instrumentations
 * that are widely used still send those. What was sent is stored as it came; this is how it is read.
 */
const EARLIER = {
  'db.system.name': ['db.system'],
  'db.namespace': ['db.name'],
  'db.operation.name': ['db.operation'],
  'db.query.text': ['db.statement'],
  'server.address': ['net.peer.name', 'net.sock.peer.name', 'net.peer.ip', 'net.sock.peer.addr'],
  'server.port': ['net.peer.port', 'net.sock.peer.port'],
  'http.request.method': ['http.method'],
  'http.response.status_code': ['http.status_code'],
  'url.full': ['http.url'],
  'messaging.destination.name': ['messaging.destination'],
  'messaging.system': [],
  'rpc.system': [],
  'rpc.grpc.status_code': [],
  'peer.service': [],
} as const satisfies Readonly<Record<string, readonly string[]>>;

export type KnownAttribute = keyof typeof EARLIER;

/** The value of an attribute under today's name or an earlier one. */
export function attributeOf(attributes: Attributes, name: KnownAttribute): Attributes[string] | undefined {
  const value = attributes[name];
  if (value !== undefined) return value;
  for (const earlier of EARLIER[name]) if (attributes[earlier] !== undefined) return attributes[earlier];
  return undefined;
}

/** The same as text; undefined when it is none. */
export function textOf(attributes: Attributes, name: KnownAttribute): string | undefined {
  const text = textAttribute(attributes, name);
  if (text !== undefined) return text;
  for (const earlier of EARLIER[name]) {
    const found = textAttribute(attributes, earlier);
    if (found !== undefined) return found;
  }
  return undefined;
}

/** All keys under which some attributes may have been sent. */
export function keysOf(...names: readonly KnownAttribute[]): string[] {
  return names.flatMap((name) => [name, ...EARLIER[name]]);
}
