import { type Attributes, textAttribute } from './span.ts';

/** The database system that a span with these attributes speaks to, or undefined when it is no database call. Reads the former name too. */
export function databaseSystem(attributes: Attributes): string | undefined {
  return textAttribute(attributes, 'db.system.name') ?? textAttribute(attributes, 'db.system');
}

/** The name of whom a span with these attributes calls, from the caller's side alone; "unknown" when it does not say. */
export function peerName(attributes: Attributes): string {
  const read = (key: string) => textAttribute(attributes, key);
  const named = read('peer.service');
  if (named) return named;
  const system = databaseSystem(attributes);
  if (system) return read('server.address') ?? read('db.namespace') ?? system;
  return read('messaging.destination.name') ?? read('server.address') ?? 'unknown';
}

/** By what a span with these attributes reaches its peer: a database or messaging system, an RPC system, http, or empty when none is set. */
export function protocolOf(attributes: Attributes): string {
  const system =
    databaseSystem(attributes) ?? textAttribute(attributes, 'messaging.system') ?? textAttribute(attributes, 'rpc.system');
  if (system) return system;
  return textAttribute(attributes, 'http.request.method') ? 'http' : '';
}

/** All attributes that the functions above read. */
export const PEER_KEYS = [
  'peer.service',
  'db.system.name',
  'db.system',
  'server.address',
  'db.namespace',
  'messaging.destination.name',
  'messaging.system',
  'rpc.system',
  'http.request.method',
] as const;
