import {
  type Attributes,
  type InstrumentationScope,
  parseSpanId,
  parseTraceId,
  SPAN_KINDS,
  SPAN_STATUSES,
  type Span,
  type SpanEvent,
  type SpanId,
  type SpanKind,
  type SpanLink,
  type TraceId,
  textAttribute,
} from '../../core/trace/span.ts';
import { readAnyValue, readKeyValue, text } from './attributes.ts';
import { checkSubmessage } from './check.ts';
import { seenIdText } from './idText.ts';
import { KEY_VALUE, SPAN } from './messages.ts';
import { RefusedRecord } from './refusal.ts';
import { cachedText } from './textCache.ts';
import { BYTES, FIXED64, fixed64, idHex, message, type Reader, readerOf, submessage, tag, VARINT, wholeMessage } from './wire.ts';

/** What the store must know of a span to keep, find and count it. */
export interface SpanHead {
  readonly traceId: TraceId;
  readonly spanId: SpanId;
  readonly parentSpanId: SpanId | null;
  readonly name: string;
  readonly kind: SpanKind;
  readonly start: bigint;
  readonly durationNs: number;
  readonly failed: boolean;
  /** Those of its attributes that were asked for and are there, short texts and numbers only. */
  readonly told: Attributes;
}

/** Beyond this a duration is not exact in a JS number: about 104 days. */
const LONGEST = Number.MAX_SAFE_INTEGER;
/** A time with this bit set in its upper half is beyond what a signed 64-bit column holds: after the year 2262. */
const BEYOND = 2 ** 31;

/** Keys that a head tells of, found by length and first letter before anything is read. */
export class WantedKeys {
  readonly #keys: ReadonlySet<string>;
  /** By length, below 128, and first letter. */
  readonly #marks = new Uint8Array(128 << 8);

  constructor(keys: readonly string[]) {
    this.#keys = new Set(keys);
    for (const key of keys) this.#marks[(key.length << 8) | key.charCodeAt(0)] = 1;
  }

  /** False is certain, true is not. @param length below 128 */
  mayHave(length: number, firstByte: number): boolean {
    return this.#marks[(length << 8) | firstByte] === 1;
  }

  has(key: string): boolean {
    return this.#keys.has(key);
  }
}

type Told = Record<string, string | number>;
const NOTHING_TOLD: Attributes = {};

/**
 * Reads the head of a Span message and checks all of it, so that it can be read again whole. Every span that comes in goes through here:
 * it reads the bytes by itself where that is the usual case, and leaves the rest to the readers of messages.
 *
 * @throws RefusedRecord with the reason why it cannot be kept; RangeError when the bytes are broken
 */
export function readSpanHead(record: Uint8Array, wanted: WantedKeys): SpanHead {
  const bytes = Buffer.isBuffer(record) ? record : Buffer.from(record.buffer, record.byteOffset, record.byteLength);
  const end = bytes.length;
  let traceId: TraceId | undefined;
  let spanId: SpanId | undefined;
  let parentSpanId: SpanId | null = null;
  let name = '';
  let kind = 0;
  let startLow = 0;
  let startHigh = 0;
  let endLow = 0;
  let endHigh = 0;
  let code = 0;
  let told: Told | undefined;
  let at = 0;
  while (at < end) {
    // Tags and lengths of one byte, as nearly all are, are read here; anything else is left to the reader of messages.
    const field = bytes[at];
    const length = bytes[at + 1];
    const next = at + 2 + length;
    const isShort = length < 128 && next <= end;
    if (field === tag(9, BYTES) && isShort) {
      told = takeShortAttribute(bytes, at + 2, next, wanted, told);
      at = next;
    } else if (field === tag(1, BYTES) && isShort) {
      traceId = idAt<TraceId>(bytes, at + 2, length, 16);
      at = next;
    } else if (field === tag(2, BYTES) && isShort) {
      spanId = idAt<SpanId>(bytes, at + 2, length, 8);
      at = next;
    } else if (field === tag(4, BYTES) && isShort) {
      if (length !== 0 && length !== 8) refuse('parent span id is not 8 bytes');
      // Some senders write eight zero bytes where there is no parent.
      parentSpanId = idAt<SpanId>(bytes, at + 2, length, 8) ?? null;
      at = next;
    } else if (field === tag(5, BYTES) && isShort) {
      name = cachedText(bytes, at + 2, next);
      at = next;
    } else if (field === tag(6, VARINT) && length < 128) {
      kind = length;
      at += 2;
    } else if (field === tag(7, FIXED64) && at + 9 <= end) {
      startLow = bytes.readUInt32LE(at + 1);
      startHigh = bytes.readUInt32LE(at + 5);
      at += 9;
    } else if (field === tag(8, FIXED64) && at + 9 <= end) {
      endLow = bytes.readUInt32LE(at + 1);
      endHigh = bytes.readUInt32LE(at + 5);
      at += 9;
    } else {
      const reader = readerOf(bytes);
      reader.pos = at;
      const found = reader.uint32();
      switch (found) {
        case tag(5, BYTES):
          name = text(reader);
          break;
        case tag(6, VARINT):
          kind = reader.int32();
          break;
        case tag(9, BYTES): {
          const size = reader.uint32();
          const start = reader.pos;
          reader.pos = at;
          reader.uint32();
          checkSubmessage(reader, KEY_VALUE, 0);
          if (size <= LONGEST_TOLD) {
            told ??= {};
            tell(bytes, start, start + size, wanted, told);
          }
          break;
        }
        case tag(11, BYTES):
          checkSubmessage(reader, typeOf(11), 0);
          break;
        case tag(13, BYTES):
          checkLink(reader);
          break;
        case tag(15, BYTES):
          submessage(reader, (inner) => {
            if (inner !== tag(3, VARINT)) return false;
            code = reader.int32();
            return true;
          });
          break;
        default:
          if (found >>> 3 === 0) throw new RangeError(`field number 0 at byte ${at}`);
          if (found === tag(1, BYTES) || found === tag(2, BYTES) || found === tag(4, BYTES))
            refuse('an id is longer than any may be');
          reader.skipType(found & 7);
      }
      at = reader.pos;
    }
  }
  if (at !== end) throw new RangeError('a field runs past the end of its span');
  return {
    traceId: traceId ?? refuse('trace id is not 16 bytes, or all zero'),
    spanId: spanId ?? refuse('span id is not 8 bytes, or all zero'),
    parentSpanId,
    name,
    kind: SPAN_KINDS[kind] ?? 'unspecified',
    ...times(startLow, startHigh, endLow, endHigh),
    failed: SPAN_STATUSES[code] === 'error',
    told: told ?? NOTHING_TOLD,
  };
}

function times(startLow: number, startHigh: number, endLow: number, endHigh: number): { start: bigint; durationNs: number } {
  if (startLow === 0 && startHigh === 0) refuse('start time is missing');
  if (endLow === 0 && endHigh === 0) refuse('end time is missing');
  // Exact, or so long that it is refused.
  const durationNs = (endHigh - startHigh) * 2 ** 32 + (endLow - startLow);
  if (durationNs < 0) refuse('end time is before the start time');
  if (durationNs > LONGEST) refuse('duration is over 104 days');
  if (endHigh >= BEYOND) refuse('time is beyond the year 2262');
  return { start: (BigInt(startHigh) << 32n) | BigInt(startLow), durationNs };
}

/** An id in hex; undefined when it has another length, or is all zero. */
function idAt<Id extends string>(bytes: Buffer, start: number, length: number, wanted: number): Id | undefined {
  return length === wanted ? (seenIdText(bytes, start, length) as Id | undefined) : undefined;
}

function typeOf(field: number) {
  const { type } = SPAN.byNumber.get(field)!;
  if (typeof type === 'string') throw new Error(`field ${field} of a span is no message`);
  return type;
}

/** Longer values than this are not told in a head. */
const LONGEST_TOLD = 256;

/**
 * Checks an attribute of less than 128 bytes, and notes it when it is wanted.
 *
 * @param told what was noted before, if anything @returns the same with this
 */
function takeShortAttribute(
  bytes: Buffer,
  start: number,
  end: number,
  wanted: WantedKeys,
  told: Told | undefined,
): Told | undefined {
  // Nearly every attribute is a key, and a text or a small number that fills its value.
  const keyLength = bytes[start + 1];
  const value = start + 2 + keyLength;
  if (
    bytes[start] === tag(1, BYTES) &&
    keyLength < 128 &&
    bytes[value] === tag(2, BYTES) &&
    value + 2 + bytes[value + 1] === end
  ) {
    const isText = bytes[value + 2] === tag(1, BYTES) && value + 4 + bytes[value + 3] === end;
    const isSmall = bytes[value + 2] === tag(3, VARINT) && isSmallVarint(bytes, value + 3, end);
    if (isText || isSmall) {
      if (!wanted.mayHave(keyLength, bytes[start + 2])) return told;
      const key = cachedText(bytes, start + 2, value);
      if (!wanted.has(key)) return told;
      const noted = told ?? {};
      noted[key] = isText ? cachedText(bytes, value + 4, end) : smallVarint(bytes, value + 3, end);
      return noted;
    }
  }
  const reader = readerOf(bytes);
  reader.pos = start - 1;
  checkSubmessage(reader, KEY_VALUE, 0);
  const noted = told ?? {};
  tell(bytes, start, end, wanted, noted);
  return noted;
}

/** Whether these bytes are one varint of at most four bytes: below 2^28, and not negative. */
function isSmallVarint(bytes: Buffer, start: number, end: number): boolean {
  if (end <= start || end - start > 4) return false;
  for (let at = start; at < end - 1; at++) if (bytes[at] < 128) return false;
  return bytes[end - 1] < 128;
}

function smallVarint(bytes: Buffer, start: number, end: number): number {
  let value = 0;
  for (let at = end - 1; at >= start; at--) value = (value << 7) | (bytes[at] & 127);
  return value;
}

/** Notes an attribute when it is wanted and its value is a text or a number. */
function tell(bytes: Buffer, start: number, end: number, wanted: WantedKeys, told: Told): void {
  const reader = readerOf(bytes);
  reader.pos = start;
  let key = '';
  let value: unknown;
  while (reader.pos < end) {
    const at = reader.uint32();
    if (at === tag(1, BYTES)) {
      key = cached(reader, bytes);
      if (!wanted.has(key)) return;
    } else if (at === tag(2, BYTES)) value = shortValue(reader, bytes);
    else reader.skipType(at & 7);
  }
  if (wanted.has(key) && (typeof value === 'string' || typeof value === 'number')) told[key] = value;
}

function shortValue(reader: Reader, bytes: Buffer): unknown {
  const start = reader.pos;
  const end = reader.uint32() + reader.pos;
  if (bytes[reader.pos] === tag(1, BYTES)) {
    reader.pos++;
    const value = cached(reader, bytes);
    if (reader.pos === end) return value;
  }
  reader.pos = start;
  return readAnyValue(reader);
}

/** A text that is likely to have come before. */
function cached(reader: Reader, bytes: Buffer): string {
  const length = reader.uint32();
  const start = reader.pos;
  reader.skip(length);
  return cachedText(bytes, start, start + length);
}

function checkLink(reader: Reader): void {
  const start = reader.pos;
  checkSubmessage(reader, typeOf(13), 0);
  const end = reader.pos;
  reader.pos = start;
  readLink(reader);
  reader.pos = end;
}

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

function readLink(reader: Reader): SpanLink {
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

function refuse(reason: string): never {
  throw new RefusedRecord(reason);
}
