import { parseSpanId, parseTraceId, type SpanLink } from '../../../core/trace/span.ts';
import { readKeyValue, text } from '../attributes/attributes.ts';
import { checkSubmessage } from '../wire/check.ts';
import { SPAN, typeWithin } from '../wire/messages.ts';
import { refuse } from '../wire/refusal.ts';
import { BYTES, idHex, type Reader, submessage, tag } from '../wire/wire.ts';

/** Reads a link of a span. @throws RefusedRecord when its ids are none */
export function readLink(reader: Reader): SpanLink {
  const attributes = {};
  let traceId = '';
  let spanId = '';
  let traceState = '';
  submessage(reader, (at) => {
    if (at === tag(1, BYTES)) traceId = idHex(reader.bytes());
    else if (at === tag(2, BYTES)) spanId = idHex(reader.bytes());
    else if (at === tag(3, BYTES)) traceState = text(reader);
    else return at === tag(4, BYTES) && readKeyValue(reader, attributes);
    return true;
  });
  return {
    traceId: parseTraceId(traceId) ?? refuse('trace id of a link is not 16 bytes, or all zero'),
    spanId: parseSpanId(spanId) ?? refuse('span id of a link is not 8 bytes, or all zero'),
    traceState,
    attributes,
  };
}

/** Checks the link that the reader stands before, and goes past it. @throws RefusedRecord; RangeError when the bytes are broken */
export function checkLink(reader: Reader): void {
  const start = reader.pos;
  checkSubmessage(reader, typeWithin(SPAN, 13), 0);
  const end = reader.pos;
  reader.pos = start;
  readLink(reader);
  reader.pos = end;
}
