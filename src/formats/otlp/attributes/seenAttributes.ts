import type { AttributeValue } from '../../../core/trace/span.ts';
import type { SignScan } from '../masking/scan.ts';
import { bytesHash, isSameBytes } from '../wire/bytesHash.ts';
import { checkSubmessage } from '../wire/check.ts';
import { KEY_VALUE } from '../wire/messages.ts';
import { readerOf } from '../wire/wire.ts';
import { readKeyValue } from './attributes.ts';

/** An attribute that has no facet, whatever comes. */
export const NO_FACET = 0;
/** An attribute of which nobody has asked yet whether it is a facet. */
export const UNASKED = -1;

/** An attribute as it was met, with all that is found out of it once. Those that come again are the same object, as a rule. */
export class SeenAttribute {
  /** The KeyValue message: a copy, so that the body it stood in is not held. */
  readonly bytes: Buffer;
  readonly key: string;
  readonly value: AttributeValue;
  /** The look that found nothing in it that would have to be masked. */
  cleanFor: SignScan | undefined;
  /** The id of the facet that it is. */
  facetId = UNASKED;

  constructor(bytes: Buffer, key: string, value: AttributeValue) {
    this.bytes = bytes;
    this.key = key;
    this.value = value;
  }
}

/** Longer ones seldom repeat. */
export const LONGEST_SEEN = 640;
/** They go by twos: of those whose hash is the same two are remembered, the one met last first, so that two that are frequent do not drive each other out. */
const SLOTS = 16_384;
const slots = new Array<SeenAttribute | undefined>(SLOTS).fill(undefined);

/**
 * The attribute in some bytes. Attributes come again by the thousand: those seen lately are found by their bytes, and neither checked nor
 * read again.
 *
 * @param lengthAt where the length of the KeyValue message stands @param start where it begins @param end where it ends, not beyond the bytes
 * @throws RefusedRecord when it is nested too deep; RangeError when its bytes are broken
 */
export function seenAttribute(bytes: Buffer, lengthAt: number, start: number, end: number): SeenAttribute {
  const slot = (bytesHash(bytes, start, end) % SLOTS) & ~1;
  const last = slots[slot];
  if (last !== undefined && isSameBytes(last.bytes, bytes, start, end)) return last;
  const found = slots[slot + 1];
  slots[slot + 1] = last;
  if (found !== undefined && isSameBytes(found.bytes, bytes, start, end)) {
    slots[slot] = found;
    return found;
  }
  const reader = readerOf(bytes);
  reader.pos = lengthAt;
  checkSubmessage(reader, KEY_VALUE, 0);
  reader.pos = lengthAt;
  const read: Record<string, AttributeValue> = {};
  readKeyValue(reader, read);
  const [[key, value]] = Object.entries(read);
  const made = new SeenAttribute(Buffer.from(bytes.subarray(start, end)), key, value);
  slots[slot] = made;
  return made;
}

/** Forgets all: what comes again is read and asked of anew. */
export function forgetSeenAttributes(): void {
  slots.fill(undefined);
  longOnes.clear();
}

/** Keys of long attributes, at most. */
const MOST_LONG_KEYS = 2_000;
const longOnes = new Map<string, SeenAttribute>();
const NO_BYTES = Buffer.alloc(0);
/** What no text is made of. */
const ANY_LONG_VALUE: AttributeValue = [];

/** What represents all attributes of a key that are too long to be remembered. */
export function longAttribute(key: string): SeenAttribute {
  let made = longOnes.get(key);
  if (!made) {
    if (longOnes.size >= MOST_LONG_KEYS) longOnes.clear();
    made = new SeenAttribute(NO_BYTES, key, ANY_LONG_VALUE);
    longOnes.set(key, made);
  }
  return made;
}
