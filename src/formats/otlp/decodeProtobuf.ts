import protobuf from 'protobufjs/minimal.js';
import type { Attributes, AttributeValue, InstrumentationScope, Span, SpanEvent } from '../../core/trace/span.ts';
import {
  DEEPEST_VALUE,
  type DecodedSpans,
  integer,
  MalformedRequest,
  type RawLink,
  type RawSpan,
  RefusedSpan,
  SpanCollector,
  setAttribute,
  storable,
  toSpan,
} from './rawSpan.ts';

type Reader = protobuf.Reader;
/** Reads one field, named by number and wire type together; returns false for a field it does not know. */
type Field = (tag: number) => boolean;

/** A tag as on the wire: the field's number and how its value is laid out. */
const VARINT = 0;
const FIXED64 = 1;
const BYTES = 2;
const tag = (field: number, wire: number) => (field << 3) | wire;

/**
 * Reads the body of an OTLP protobuf trace export request, by the field numbers of opentelemetry-proto 1.x.
 *
 * @throws MalformedRequest when the bytes are no such message
 */
export function decodeTracesProtobuf(body: Uint8Array): DecodedSpans {
  const collector = new SpanCollector();
  try {
    const reader = protobuf.Reader.create(body);
    message(reader, body.length, (field) => {
      if (field !== tag(1, BYTES)) return false;
      readResourceSpans(reader, collector);
      return true;
    });
  } catch (error) {
    if (error instanceof MalformedRequest) throw error;
    throw new MalformedRequest(`the body is not an OTLP trace export request in protobuf: ${(error as Error).message}`);
  }
  return collector;
}

function readResourceSpans(reader: Reader, collector: SpanCollector): void {
  const resource = emptyAttributes();
  const parts = inOrder(reader, tag(1, BYTES), tag(2, BYTES));
  outer(() => {
    for (const at of parts.head) visit(reader, at, (field) => field === tag(1, BYTES) && readKeyValue(reader, resource));
  });
  for (const at of parts.rest) {
    reader.pos = at.start;
    readScopeSpans(reader, at.end, resource, collector);
  }
  reader.pos = parts.end;
}

function readScopeSpans(reader: Reader, end: number, resource: Attributes, collector: SpanCollector): void {
  const parts = inOrder(reader, tag(1, BYTES), tag(2, BYTES), end);
  let scope: InstrumentationScope = { name: '', version: '' };
  for (const at of parts.head) scope = readScope(reader, at);
  for (const at of parts.rest) collector.add(() => readSpan(reader, at, resource, scope));
  reader.pos = parts.end;
}

function readScope(reader: Reader, at: Range): InstrumentationScope {
  let name = '';
  let version = '';
  visit(reader, at, (field) => {
    if (field === tag(1, BYTES)) name = text(reader);
    else if (field === tag(2, BYTES)) version = text(reader);
    else return false;
    return true;
  });
  return { name, version };
}

function readSpan(reader: Reader, at: Range, resource: Attributes, scope: InstrumentationScope): Span {
  const attributes = emptyAttributes();
  const raw: RawSpan = {
    traceId: '',
    spanId: '',
    parentSpanId: '',
    traceState: '',
    name: '',
    kind: 0,
    start: 0n,
    end: 0n,
    attributes,
    events: [],
    links: [],
    statusCode: 0,
    statusMessage: '',
  };
  visit(reader, at, (field) => {
    switch (field) {
      case tag(1, BYTES):
        raw.traceId = hex(reader.bytes());
        return true;
      case tag(2, BYTES):
        raw.spanId = hex(reader.bytes());
        return true;
      case tag(3, BYTES):
        raw.traceState = text(reader);
        return true;
      case tag(4, BYTES):
        raw.parentSpanId = hex(reader.bytes());
        return true;
      case tag(5, BYTES):
        raw.name = text(reader);
        return true;
      case tag(6, VARINT):
        raw.kind = reader.int32();
        return true;
      case tag(7, FIXED64):
        raw.start = fixed64(reader);
        return true;
      case tag(8, FIXED64):
        raw.end = fixed64(reader);
        return true;
      case tag(9, BYTES):
        return readKeyValue(reader, attributes);
      case tag(11, BYTES):
        raw.events.push(readEvent(reader));
        return true;
      case tag(13, BYTES):
        raw.links.push(readLink(reader));
        return true;
      case tag(15, BYTES):
        readStatus(reader, raw);
        return true;
      default:
        return false;
    }
  });
  return toSpan(raw, resource, scope);
}

function readStatus(reader: Reader, raw: RawSpan): void {
  submessage(reader, (field) => {
    if (field === tag(2, BYTES)) raw.statusMessage = text(reader);
    else if (field === tag(3, VARINT)) raw.statusCode = reader.int32();
    else return false;
    return true;
  });
}

function readEvent(reader: Reader): SpanEvent {
  let time = 0n;
  let name = '';
  const attributes = emptyAttributes();
  submessage(reader, (field) => {
    if (field === tag(1, FIXED64)) time = fixed64(reader);
    else if (field === tag(2, BYTES)) name = text(reader);
    else return field === tag(3, BYTES) && readKeyValue(reader, attributes);
    return true;
  });
  return { time, name, attributes };
}

function readLink(reader: Reader): RawLink {
  const attributes = emptyAttributes();
  const link: RawLink = { traceId: '', spanId: '', traceState: '', attributes };
  submessage(reader, (field) => {
    if (field === tag(1, BYTES)) link.traceId = hex(reader.bytes());
    else if (field === tag(2, BYTES)) link.spanId = hex(reader.bytes());
    else if (field === tag(3, BYTES)) link.traceState = text(reader);
    else return field === tag(4, BYTES) && readKeyValue(reader, attributes);
    return true;
  });
  return link;
}

function readKeyValue(reader: Reader, into: Record<string, AttributeValue>, depth = 0): true {
  let key = '';
  let value: AttributeValue = null;
  submessage(reader, (field) => {
    if (field === tag(1, BYTES)) key = text(reader);
    else if (field === tag(2, BYTES)) value = readAnyValue(reader, depth);
    else return false;
    return true;
  });
  setAttribute(into, key, value);
  return true;
}

function readAnyValue(reader: Reader, depth: number): AttributeValue {
  if (depth > DEEPEST_VALUE) throw new RefusedSpan(`attribute is nested deeper than ${DEEPEST_VALUE}`);
  let value: AttributeValue = null;
  submessage(reader, (field) => {
    switch (field) {
      case tag(1, BYTES):
        value = text(reader);
        return true;
      case tag(2, VARINT):
        value = reader.bool();
        return true;
      case tag(3, VARINT):
        value = integer(toBigInt(reader.int64()));
        return true;
      case tag(4, FIXED64): {
        const number = reader.double();
        value = Number.isFinite(number) ? number : String(number);
        return true;
      }
      case tag(5, BYTES): {
        const items: AttributeValue[] = [];
        submessage(reader, (inner) => inner === tag(1, BYTES) && items.push(readAnyValue(reader, depth + 1)) > 0);
        value = items;
        return true;
      }
      case tag(6, BYTES): {
        const map = emptyAttributes();
        submessage(reader, (inner) => inner === tag(1, BYTES) && readKeyValue(reader, map, depth + 1));
        value = map;
        return true;
      }
      case tag(7, BYTES):
        value = base64(reader.bytes());
        return true;
      default:
        return false;
    }
  });
  return value;
}

interface Range {
  readonly start: number;
  readonly end: number;
}

/** Reads fields up to `end`; skips those that `field` does not know. */
function message(reader: Reader, end: number, field: Field): void {
  if (end > reader.len) throw new RangeError(`a message ends at byte ${end} of ${reader.len}`);
  while (reader.pos < end) {
    const at = reader.uint32();
    if (at >>> 3 === 0) throw new RangeError(`field number 0 at byte ${reader.pos}`);
    if (!field(at)) reader.skipType(at & 7);
  }
  if (reader.pos !== end) throw new RangeError(`a field runs past the end of its message at byte ${end}`);
}

function submessage(reader: Reader, field: Field): void {
  const length = reader.uint32();
  message(reader, reader.pos + length, field);
}

function visit(reader: Reader, at: Range, field: Field): void {
  reader.pos = at.start;
  message(reader, at.end, field);
}

/** Notes where the fields of a message stand, since what describes the rest may come after it on the wire. */
function inOrder(reader: Reader, headTag: number, restTag: number, until?: number) {
  const head: Range[] = [];
  const rest: Range[] = [];
  const length = until === undefined ? reader.uint32() : until - reader.pos;
  const end = reader.pos + length;
  message(reader, end, (field) => {
    if (field !== headTag && field !== restTag) return false;
    const size = reader.uint32();
    const start = reader.pos;
    reader.skip(size);
    (field === headTag ? head : rest).push({ start, end: start + size });
    return true;
  });
  return { head, rest, end };
}

/** A resource that cannot be kept makes the request unreadable: all its spans would lose whose they are. */
function outer(read: () => void): void {
  try {
    read();
  } catch (error) {
    throw error instanceof RefusedSpan ? new MalformedRequest(error.message) : error;
  }
}

function emptyAttributes(): Record<string, AttributeValue> {
  return {};
}

function text(reader: Reader): string {
  return storable(reader.string());
}

function fixed64(reader: Reader): bigint {
  const low = reader.fixed32();
  return (BigInt(reader.fixed32()) << 32n) | BigInt(low);
}

function toBigInt(long: { low: number; high: number } | number): bigint {
  if (typeof long === 'number') return BigInt(long);
  return (BigInt(long.high) << 32n) | BigInt(long.low >>> 0);
}

const HEX = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, '0'));

function hex(bytes: Uint8Array): string {
  // An id has at most 16 bytes; what is longer is refused for its length, of which 17 bytes tell enough.
  let result = '';
  for (const byte of bytes.subarray(0, 17)) result += HEX[byte];
  return result;
}

function base64(bytes: Uint8Array): string {
  let binary = '';
  for (const byte of bytes) binary += String.fromCharCode(byte);
  return btoa(binary);
}
