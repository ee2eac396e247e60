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
