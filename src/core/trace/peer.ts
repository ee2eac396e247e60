import { keysOf, textOf } from './attributeNames.ts';
import type { Attributes, Span } from './span.ts';

/** The database system that a span with these attributes speaks to, or undefined when it is no database call. */
export function databaseSystem(attributes: Attributes): string | undefined {
  return textOf(attributes, 'db.system.name');
}

/** Addresses of the machine itself: they say nothing of whom is called. */
const LOOPBACK = /^(localhost|127\.\d+\.\d+\.\d+|::1|\[::1\]|0\.0\.0\.0)$/i;

/** The name of whom a span with these attributes calls, from the caller's side alone; "unknown" when it does not say. */
export function peerName(attributes: Attributes): string {
  const named = textOf(attributes, 'peer.service');
  if (named) return named;
  const address = addressOf(attributes);
  const isHere = address !== undefined && LOOPBACK.test(address);
  const system = databaseSystem(attributes);
  if (system) {
    if (address !== undefined && !isHere) return address;
    return textOf(attributes, 'db.namespace') ?? withPort(system, attributes, isHere);
  }
  const destination = textOf(attributes, 'messaging.destination.name');
  if (destination) return destination;
  if (address === undefined) return 'unknown';
  return withPort(address, attributes, isHere);
}

function addressOf(attributes: Attributes): string | undefined {
  const address = textOf(attributes, 'server.address');
  if (address) return address;
  const url = textOf(attributes, 'url.full');
  return url && URL.canParse(url) ? new URL(url).hostname || undefined : undefined;
}

/** Of several things on one machine the port tells which. */
function withPort(name: string, attributes: Attributes, isHere: boolean): string {
  const port = isHere ? portOf(attributes) : undefined;
  return port === undefined ? name : `${name}:${port}`;
}

function portOf(attributes: Attributes): string | undefined {
  for (const key of keysOf('server.port')) {
    const port = attributes[key];
    if (typeof port === 'number' || typeof port === 'string') return String(port);
  }
  const url = textOf(attributes, 'url.full');
  return url && URL.canParse(url) ? new URL(url).port || undefined : undefined;
}

/** By what a span with these attributes reaches its peer: a database or messaging system, an RPC system, http, or empty when none is set. */
export function protocolOf(attributes: Attributes): string {
  const system = databaseSystem(attributes) ?? textOf(attributes, 'messaging.system') ?? textOf(attributes, 'rpc.system');
  if (system) return system;
  return textOf(attributes, 'http.request.method') ? 'http' : '';
}

/** Spans of the network below a call: looking a name up, opening a connection. */
const TRANSPORT = /^(dns\.\w+|(tcp|tls|ipc)\.connect)$/;

/** Whether a span is a step on the way of a call that its parent makes, and no call of its own. */
export function isTransport({ name }: Pick<Span, 'name'>): boolean {
  return TRANSPORT.test(name);
}

/** All attributes that the functions above read. */
export const PEER_KEYS = keysOf(
  'peer.service',
  'db.system.name',
  'server.address',
  'server.port',
  'url.full',
  'db.namespace',
  'messaging.destination.name',
  'messaging.system',
  'rpc.system',
  'http.request.method',
);
