import type { Attributes, AttributeValue } from '../../../core/trace/span.ts';
import { readAnyValue, readKeyValue, text } from '../attributes/attributes.ts';
import { checkSubmessage } from '../wire/check.ts';
import { ANY_VALUE, KEY_VALUE } from '../wire/messages.ts';
import { RefusedRecord } from '../wire/refusal.ts';
import { cachedText } from '../wire/textCache.ts';
import { BYTES, FIXED64, fixed64, idHex, message, type Reader, readerOf, tag, VARINT } from '../wire/wire.ts';

/** What the store must know of a log record to keep, find and count it. */
export interface LogHead {
  /** When it happened; when it was seen, if that is all that is told; epoch nanoseconds. */
  readonly time: bigint;
  /** OpenTelemetry's number, 1 to 24; 0 when not set. */
  readonly severity: number;
  /** Empty for a log record that is no event. */
  readonly eventName: string;
  /** Hex; null when it names no trace. */
  readonly traceId: string | null;
}

/** A log record, whole. */
export interface LogRecord extends LogHead {
  readonly spanId: string | null;
  readonly severityText: string;
  readonly body: AttributeValue;
  readonly attributes: Attributes;
}

const LAST_TIME = 2n ** 63n - 1n;

/**
 * Reads the head of a LogRecord message and checks all of it, so that it can be read again whole.
 *
 * @throws RefusedRecord with the reason why it cannot be kept; RangeError when the bytes are broken
 */
export function readLogHead(record: Uint8Array): LogHead {
  const bytes = Buffer.isBuffer(record) ? record : Buffer.from(record.buffer, record.byteOffset, record.byteLength);
  const reader = readerOf(bytes);
  let time = 0n;
  let observed = 0n;
  let severity = 0;
  let eventName = '';
  let traceId = '';
  while (reader.pos < bytes.length) {
    const at = reader.uint32();
    switch (at) {
      case tag(1, FIXED64):
        time = fixed64(reader);
        break;
      case tag(11, FIXED64):
        observed = fixed64(reader);
        break;
      case tag(2, VARINT):
        severity = reader.int32();
        break;
      case tag(5, BYTES):
        if (!isText(bytes, reader)) checkSubmessage(reader, ANY_VALUE, 0);
        break;
      case tag(6, BYTES):
        checkSubmessage(reader, KEY_VALUE, 0);
        break;
      case tag(9, BYTES):
        traceId = idHex(reader.bytes());
        break;
      case tag(12, BYTES): {
        const length = reader.uint32();
        const start = reader.pos;
        reader.skip(length);
        eventName = cachedText(bytes, start, start + length);
        break;
      }
      default:
        if (at >>> 3 === 0) throw new RangeError(`field number 0 at byte ${reader.pos}`);
        reader.skipType(at & 7);
    }
  }
  if (reader.pos !== bytes.length) throw new RangeError('a field runs past the end of its log record');
  const when = time > 0n ? time : observed;
  if (when === 0n) throw new RefusedRecord('neither a time nor an observed time is set');
  if (when > LAST_TIME) throw new RefusedRecord('time is beyond the year 2262');
  if (traceId !== '' && traceId.length !== 32) throw new RefusedRecord('trace id is not 16 bytes');
  return {
    time: when,
    severity: severity >= 1 && severity <= 24 ? severity : 0,
    eventName,
    traceId: traceId === '' || traceId === NO_TRACE ? null : traceId,
  };
}

const NO_TRACE = '0'.repeat(32);

/** Passes over a body that is one text and nothing else, as nearly all are; false, having read nothing, when it is not. */
function isText(bytes: Buffer, reader: Reader): boolean {
  const start = reader.pos;
  const end = reader.uint32() + reader.pos;
  if (end <= bytes.length && bytes[reader.pos] === tag(1, BYTES)) {
    reader.pos++;
    const length = reader.uint32();
    if (reader.pos + length === end) {
      reader.pos = end;
      return true;
    }
  }
  reader.pos = start;
  return false;
}

/** The whole of a LogRecord message. @throws as `readLogHead` does */
export function readLog(record: Uint8Array): LogRecord {
  const head = readLogHead(record);
  const reader = readerOf(record);
  const attributes = {};
  let spanId = '';
  let severityText = '';
  let body: AttributeValue = null;
  message(reader, record.length, (at) => {
    if (at === tag(3, BYTES)) severityText = text(reader);
    else if (at === tag(5, BYTES)) body = readAnyValue(reader);
    else if (at === tag(6, BYTES)) return readKeyValue(reader, attributes);
    else if (at === tag(10, BYTES)) spanId = idHex(reader.bytes());
    else return false;
    return true;
  });
  return { ...head, spanId: /^0*$/.test(spanId) ? null : spanId, severityText, body, attributes };
}
