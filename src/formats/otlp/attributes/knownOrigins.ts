import type { Attributes, InstrumentationScope } from '../../../core/trace/span.ts';
import { readResource, readScope } from './attributes.ts';

/** Different ones are few, of whatever sends properly; of who makes up one for each record, no more are held. */
const MOST_HELD = 1_000;
/** Larger ones are read each time: what somebody makes up must not fill the memory. */
const LARGEST_BYTES = 8_192;

/**
 * Resources and scopes that were read before, by their bytes. Senders that pass on what many others sent say the same resource again
 * with each few records, and to read it takes several times as long as to read one of those.
 */
export class KnownOrigins {
  readonly #resources = new Map<string, Attributes>();
  readonly #scopes = new Map<string, InstrumentationScope>();

  resource(bytes: Uint8Array): Attributes {
    return known(this.#resources, bytes, readResource);
  }

  scope(bytes: Uint8Array): InstrumentationScope {
    return known(this.#scopes, bytes, readScope);
  }
}

function known<T>(held: Map<string, T>, bytes: Uint8Array, read: (bytes: Uint8Array) => T): T {
  if (bytes.length > LARGEST_BYTES) return read(bytes);
  const key = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('latin1');
  const before = held.get(key);
  if (before) return before;
  if (held.size >= MOST_HELD) held.clear();
  const fresh = read(bytes);
  held.set(key, fresh);
  return fresh;
}
