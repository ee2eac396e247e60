import {
  type Attributes,
  type InstrumentationScope,
  SPAN_STATUSES,
  type Span,
  type SpanEvent,
  type SpanLink,
  textAttribute,
} from '../../../core/trace/span.ts';
import { readKeyValue, text } from '../attributes/attributes.ts';
import { BYTES, FIXED64, fixed64, message, type Reader, readerOf, submessage, tag, VARINT, wholeMessage } from '../wire/wire.ts';
import { readSpanHead, WantedKeys } from './spanHead.ts';
import { readLink } from './spanLink.ts';

/** The whole of a Span message. @throws RefusedRecord; RangeError when the bytes are broken */
export function readSpan(record: Uint8Array, resource: Attributes, scope: InstrumentationScope): Span {
  const reader = readerOf(record);
  const attributes = {};
  const events: SpanEvent[] = [];
  const links: SpanLink[] = [];
  let traceState = '';
  let statusMessage = '';
  let code = 0;
  message(reader, record.length, (at) => {
    switch (at) {
      case tag(3, BYTES):
        traceState = text(reader);
        return true;
      case tag(9, BYTES):
        return readKeyValue(reader, attributes);
      case tag(11, BYTES):
        events.push(readEvent(reader));
        return true;
      case tag(13, BYTES):
        links.push(readLink(reader));
        return true;
      case tag(15, BYTES):
        submessage(reader, (inner) => {
          if (inner === tag(2, BYTES)) statusMessage = text(reader);
          else if (inner === tag(3, VARINT)) code = reader.int32();
          else return false;
          return true;
        });
        return true;
      default:
        return false;
    }
  });
  const { traceId, spanId, parentSpanId, name, kind, start, durationNs } = readSpanHead(record, NO_KEYS);
  return {
    traceId,
    spanId,
    parentSpanId,
    traceState,
    name,
    service: serviceOf(resource),
    kind,
    start,
    end: start + BigInt(durationNs),
    status: SPAN_STATUSES[code] ?? 'unset',
    statusMessage,
    attributes,
    resource,
    scope,
    events,
    links,
  };
}

const NO_KEYS = new WantedKeys([]);

/** The trace id of a Span message without reading the rest; undefined when it has none of 16 bytes. */
export function traceIdBytes(record: Uint8Array): Uint8Array | undefined {
  // Senders write fields in order: the id stands at the very front.
  if (record[0] === tag(1, BYTES) && record[1] === 16) return record.subarray(2, 18);
  let found: Uint8Array | undefined;
  wholeMessage(record, (reader, at) => {
    if (at !== tag(1, BYTES)) return false;
    found = reader.bytes();
    return true;
  });
  return found?.length === 16 ? found : undefined;
}

/** The reporting service; OpenTelemetry's stand-in name when the resource has none. */
export function serviceOf(resource: Attributes): string {
  return textAttribute(resource, 'service.name') ?? 'unknown_service';
}

function readEvent(reader: Reader): SpanEvent {
  let time = 0n;
  let name = '';
  const attributes = {};
  submessage(reader, (at) => {
    if (at === tag(1, FIXED64)) time = fixed64(reader);
    else if (at === tag(2, BYTES)) name = text(reader);
    else return at === tag(3, BYTES) && readKeyValue(reader, attributes);
    return true;
  });
  return { time, name, attributes };
}
