/*
 * Ids as hex. Spans of one trace come one after the other: the id that came last is known without writing it out again.
 */

const TRACE_ID_BYTES = 16;

let last = Buffer.alloc(TRACE_ID_BYTES);
let lastText = last.toString('hex');

/** The hex of the trace id that stands at `at`. */
export function traceIdText(bytes: Uint8Array, at: number): string {
  let same = 0;
  while (same < TRACE_ID_BYTES && bytes[at + same] === last[same]) same++;
  if (same === TRACE_ID_BYTES) return lastText;
  // A copy, so that the body it stands in is not held.
  last = Buffer.from(bytes.subarray(at, at + TRACE_ID_BYTES));
  lastText = last.toString('hex');
  return lastText;
}

/** The hex of the span id that stands in `bytes` from `from` to `to`; null where it is no id: not eight bytes, or all zero. */
export function spanIdText(bytes: Buffer, from: number, to: number): string | null {
  if (to - from !== 8) return null;
  for (let at = from; at < to; at++) if (bytes[at] !== 0) return bytes.toString('hex', from, to);
  return null;
}

const SLOTS = 8192;
/** The bytes of the ids seen lately, sixteen for each slot, and what they are as text. */
const seenBytes = Buffer.alloc(SLOTS * TRACE_ID_BYTES);
const seenText = new Array<string>(SLOTS).fill('');

/**
 * The hex of an id of eight or sixteen bytes; undefined when all are zero. Ids of spans come again as those of parents, ids of traces with
 * every span: those seen lately are found by their bytes, and are the same string object each time.
 */
export function seenIdText(bytes: Buffer, from: number, length: number): string | undefined {
  let hash = 0;
  for (let at = from; at < from + length; at++) hash = (Math.imul(hash, 31) + bytes[at]) | 0;
  const slot = (hash >>> 0) % SLOTS;
  const text = seenText[slot];
  if (text.length === 2 * length && isSeen(slot, bytes, from, length)) return text;
  let any = 0;
  for (let at = 0; at < length; at++) {
    const byte = bytes[from + at];
    any |= byte;
    seenBytes[slot * TRACE_ID_BYTES + at] = byte;
  }
  if (any === 0) {
    seenText[slot] = '';
    return undefined;
  }
  seenText[slot] = bytes.toString('hex', from, from + length);
  return seenText[slot];
}

function isSeen(slot: number, bytes: Buffer, from: number, length: number): boolean {
  for (let at = 0; at < length; at++) if (seenBytes[slot * TRACE_ID_BYTES + at] !== bytes[from + at]) return false;
  return true;
}
