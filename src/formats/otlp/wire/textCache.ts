import { storable } from '../attributes/attributes.ts';
import type { SignScan } from '../masking/scan.ts';
import { bytesHash, isSameBytes } from './bytesHash.ts';

/** A text as it was met. Those that come again are the same object, as a rule. */
export interface SeenText {
  /** A copy, so that the body it stood in is not held. */
  readonly bytes: Buffer;
  /** As `storable` makes it. */
  readonly text: string;
  /** The look that found nothing in it that would have to be masked. */
  cleanFor: SignScan | undefined;
}

const SLOTS = 8192;
/** Longer texts seldom repeat, and are not remembered. */
const LONGEST = 96;
const slots = new Array<SeenText | undefined>(SLOTS).fill(undefined);

/**
 * The text of some bytes. Names, keys and hosts come again by the thousand: those seen lately are found by their bytes, without decoding
 * them, and are the same string object each time.
 */
export function seenText(bytes: Buffer, start: number, end: number): SeenText {
  const isShort = end - start <= LONGEST;
  const slot = isShort ? bytesHash(bytes, start, end) % SLOTS : 0;
  const seen = slots[slot];
  if (isShort && seen !== undefined && isSameBytes(seen.bytes, bytes, start, end)) return seen;
  const text = storable(bytes.toString('utf8', start, end));
  const made = { bytes: Buffer.from(bytes.subarray(start, end)), text, cleanFor: undefined };
  if (isShort) slots[slot] = made;
  return made;
}

/** The same as a string. */
export function cachedText(bytes: Buffer, start: number, end: number): string {
  return seenText(bytes, start, end).text;
}
