import { storable } from './attributes.ts';
import { bytesHash, isSameBytes } from './bytesHash.ts';

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
  const slot = bytesHash(bytes, start, end) % SLOTS;
  const entry = slots[slot];
  if (entry && isSameBytes(entry.bytes, bytes, start, end)) return entry.text;
  const text = storable(bytes.toString('utf8', start, end));
  // A copy, so that the body it stands in is not held.
  slots[slot] = { bytes: Buffer.from(bytes.subarray(start, end)), text };
  return text;
}
