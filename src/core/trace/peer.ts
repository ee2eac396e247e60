import { type Span, textAttribute } from './span.ts';

/** The database system a span speaks to, or undefined when it is no database call. Reads the attribute's former name too. */
export function databaseSystem(span: Span): string | undefined {
  return textAttribute(span.attributes, 'db.system.name') ?? textAttribute(span.attributes, 'db.system');
}

/** The name of whom a span calls, from the caller's side alone; "unknown" when the span does not say. */
export function peerName(span: Span): string {
  const read = (key: string) => textAttribute(span.attributes, key);
  const named = read('peer.service');
  if (named) return named;
  const system = databaseSystem(span);
  if (system) return read('server.address') ?? read('db.namespace') ?? system;
  return read('messaging.destination.name') ?? read('server.address') ?? 'unknown';
}
