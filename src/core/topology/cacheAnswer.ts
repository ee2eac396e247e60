import { attributeOf } from '../trace/attributeNames.ts';
import { databaseSystem, protocolOf } from '../trace/peer.ts';
import type { Span } from '../trace/span.ts';
import { peerKind } from './node.ts';

/** Commands that read; of one that writes no rows come back. */
const READS = /get/i;

/** Whether a call to a cache found what it asked for; undefined when it is none to a cache, or its span does not say. */
export function foundInCache({ kind, attributes }: Pick<Span, 'kind' | 'attributes'>): boolean | undefined {
  if (kind !== 'client') return undefined;
  if (peerKind('client', protocolOf(attributes), databaseSystem(attributes) !== undefined) !== 'cache') return undefined;
  const hit = attributes['cache.hit'];
  if (typeof hit === 'boolean') return hit;
  const rows = attributes['db.response.returned_rows'];
  const command = attributeOf(attributes, 'db.operation.name');
  return typeof rows === 'number' && typeof command === 'string' && READS.test(command) ? rows > 0 : undefined;
}
