import { storable } from './attributes.ts';

interface Entry {
  readonly bytes: Buffer;
  readonly text: string;
}

const SLOTS = 8192;
/** Longer texts seldom repeat, and are not remembered. */
const LONGEST = 96;
const slots = new Array<Entry | undefined>(SLOTS).fill(undefined);

/**
 * The text of some bytes, as `storable` makes it. Names, keys and hosts come again by the thousand: those seen lately are found by
 * their bytes, without decoding them, and are the same string object each time.
 */
export function cachedText(bytes: Buffer, start: number, end: number): string {
  const length = end - start;
  if (length > LONGEST) return storable(bytes.toString('utf8', start, end));
  // FNV-1a, 32 bits.
  let hash = 0x811c9dc5;
  for (let at = start; at < end; at++) hash = Math.imul(hash ^ bytes[at], 0x01000193);
  const slot = (hash >>> 0) % SLOTS;
  const entry = slots[slot];
  if (entry && isSame(entry.bytes, bytes, start, length)) return entry.text;
  const text = storable(bytes.toString('utf8', start, end));
  // A copy, so that the body it stands in is not held.
  slots[slot] = { bytes: Buffer.from(bytes.subarray(start, end)), text };
  return text;
}

function isSame(known: Buffer, bytes: Buffer, start: number, length: number): boolean {
  if (known.length !== length) return false;
  for (let at = 0; at < length; at++) if (known[at] !== bytes[start + at]) return false;
  return true;
}
