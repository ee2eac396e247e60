import {
  type Attributes,
  SPAN_KINDS,
  SPAN_STATUSES,
  type SpanId,
  type SpanKind,
  type TraceId,
} from '../../../core/trace/span.ts';
import { readAnyValue, text } from '../attributes/attributes.ts';
import { finds, type SignScan } from '../masking/scan.ts';
import { checkSubmessage } from '../wire/check.ts';
import { seenIdText } from '../wire/idText.ts';
import { KEY_VALUE, SPAN, typeWithin } from '../wire/messages.ts';
import { refuse } from '../wire/refusal.ts';
import { cachedText, seenText } from '../wire/textCache.ts';
import { BYTES, FIXED64, type Reader, readerOf, submessage, tag, VARINT } from '../wire/wire.ts';
import { checkLink } from './spanLink.ts';

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

/** Keys that a head includes, found by length and first letter before anything is read. */
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
const NOTHING_SET: Attributes = {};

/** Where no parent is named. */
export const NO_PARENT = -1;

/** Is shown the attributes of a span, one after the other. */
interface AttributeTaker {
  /**
   * Takes an attribute down, and checks it.
   *
   * @param lengthAt where the length of the KeyValue message stands @param start where it begins @param end where it ends
   * @throws as `scanHead`
   */
  take(bytes: Buffer, lengthAt: number, start: number, end: number, head: HeadScan): void;
}

/**
 * What a scan finds in the bytes of a Span message. One object serves many spans, one after the other: nothing is made for each of the
 * thousands that come in.
 */
export class HeadScan {
  readonly wanted: WantedKeys;
  bytes: Buffer = Buffer.alloc(0);
  /** Where in `bytes` the ids stand. */
  traceAt = 0;
  spanAt = 0;
  parentAt = NO_PARENT;
  name = '';
  /** OpenTelemetry's number, one of those that are known. */
  kind = 0;
  /** Halves of the epoch nanoseconds. */
  startLow = 0;
  startHigh = 0;
  /** 0 while it is open. */
  durationNs = 0;
  /** Whether it was sent before it ended. */
  isOpen = false;
  failed = false;
  /** Looks for what may have to be masked; where there is none, nobody asks. */
  look: SignScan | undefined;
  /** Whether the look found anything. */
  isSuspicious = false;
  /** Is shown the attributes. */
  taker: AttributeTaker;
  readonly #told: Told = {};
  readonly #toldKeys: string[] = [];

  /** @param wanted keys that are included @param taker is shown the attributes; where there is none, those wanted are read and the others checked */
  constructor(wanted: WantedKeys, taker: AttributeTaker = WANTED_ONLY) {
    this.wanted = wanted;
    this.taker = taker;
  }

  /** Looks at a part of the span that may hold texts. */
  lookAt(start: number, end: number): void {
    if (this.look !== undefined && !this.isSuspicious) this.isSuspicious = finds(this.look, this.bytes.subarray(start, end));
  }

  /** The same for a part that was seen before: each look looks at it once. */
  lookOnceAt(seen: { cleanFor: SignScan | undefined }, start: number, end: number): void {
    if (this.look === undefined || seen.cleanFor === this.look) return;
    this.lookAt(start, end);
    if (!this.isSuspicious) seen.cleanFor = this.look;
  }

  /** The wanted attributes that are there, short texts and numbers only; good until the next scan. */
  get told(): Attributes {
    return this.#told;
  }

  /** The same, to be kept. */
  toldCopy(): Attributes {
    if (this.#toldKeys.length === 0) return NOTHING_SET;
    const copy: Told = {};
    for (const key of this.#toldKeys) copy[key] = this.#told[key];
    return copy;
  }

  note(key: string, value: string | number): void {
    if (this.#told[key] === undefined) this.#toldKeys.push(key);
    this.#told[key] = value;
  }

  forget(): void {
    this.isSuspicious = false;
    for (const key of this.#toldKeys) this.#told[key] = undefined as never;
    this.#toldKeys.length = 0;
  }
}

/**
 * Reads the head of a Span message and checks all of it, so that it can be read again whole. Every span that comes in goes through here:
 * it reads the bytes by itself where that is the usual case, and leaves the rest to the readers of messages.
 *
 * @throws RefusedRecord with the reason why it cannot be kept; RangeError when the bytes are broken
 */
export function scanHead(record: Uint8Array, head: HeadScan): void {
  const bytes = Buffer.isBuffer(record) ? record : Buffer.from(record.buffer, record.byteOffset, record.byteLength);
  const end = bytes.length;
  head.forget();
  head.bytes = bytes;
  head.name = '';
  let traceAt = NOT_THERE;
  let spanAt = NOT_THERE;
  let parentAt = NO_PARENT;
  let kind = 0;
  let startLow = 0;
  let startHigh = 0;
  let endLow = 0;
  let endHigh = 0;
  let code = 0;
  let at = 0;
  while (at < end) {
    // Tags and lengths of one byte, as nearly all are, are read here; anything else is left to the reader of messages.
    const field = bytes[at];
    const length = bytes[at + 1];
    const next = at + 2 + length;
    const isShort = length < 128 && next <= end;
    if (field === tag(9, BYTES) && isShort) {
      head.taker.take(bytes, at + 1, at + 2, next, head);
      at = next;
    } else if (field === tag(1, BYTES) && isShort) {
      traceAt = length === 16 && !isZero(bytes, at + 2, 16) ? at + 2 : NOT_THERE;
      at = next;
    } else if (field === tag(2, BYTES) && isShort) {
      spanAt = length === 8 && !isZero(bytes, at + 2, 8) ? at + 2 : NOT_THERE;
      at = next;
    } else if (field === tag(4, BYTES) && isShort) {
      if (length !== 0 && length !== 8) refuse('parent span id is not 8 bytes');
      // Some senders write eight zero bytes where there is no parent.
      parentAt = length === 8 && !isZero(bytes, at + 2, 8) ? at + 2 : NO_PARENT;
      at = next;
    } else if (field === tag(5, BYTES) && isShort) {
      const name = seenText(bytes, at + 2, next);
      head.name = name.text;
      head.lookOnceAt(name, at + 2, next);
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
    } else if (field === FLAGS_FIRST && length === FLAGS_SECOND && at + 6 <= end) at += 6;
    else if (field === tag(15, BYTES) && length === 2 && next <= end && bytes[at + 2] === tag(3, VARINT) && bytes[at + 3] < 128) {
      code = bytes[at + 3];
      at = next;
    } else {
      const reader = readerOf(bytes);
      reader.pos = at;
      const found = reader.uint32();
      switch (found) {
        case tag(5, BYTES):
          head.name = text(reader);
          break;
        case tag(6, VARINT):
          kind = reader.int32();
          break;
        case tag(9, BYTES): {
          const lengthAt = reader.pos;
          const size = reader.uint32();
          const start = reader.pos;
          reader.skip(size);
          head.taker.take(bytes, lengthAt, start, start + size, head);
          break;
        }
        case tag(11, BYTES):
          checkSubmessage(reader, typeWithin(SPAN, 11), 0);
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
      // Attributes are looked at by who takes them; in ids there is no text.
      if ((found & 7) === BYTES && found !== tag(9, BYTES)) head.lookAt(at, reader.pos);
      at = reader.pos;
    }
  }
  if (at !== end) throw new RangeError('a field runs past the end of its span');
  if (traceAt === NOT_THERE) refuse('trace id is not 16 bytes, or all zero');
  if (spanAt === NOT_THERE) refuse('span id is not 8 bytes, or all zero');
  head.traceAt = traceAt;
  head.spanAt = spanAt;
  head.parentAt = parentAt;
  head.kind = SPAN_KINDS[kind] === undefined ? 0 : kind;
  head.startLow = startLow;
  head.startHigh = startHigh;
  head.isOpen = endLow === 0 && endHigh === 0;
  head.durationNs = head.isOpen
    ? durationOf(startLow, startHigh, startLow, startHigh)
    : durationOf(startLow, startHigh, endLow, endHigh);
  head.failed = SPAN_STATUSES[code] === 'error';
}

const NOT_THERE = -1;
/** The two bytes of the tag of `flags`, field 16, a number of four bytes: senders write it with every span. */
const FLAGS_FIRST = 0x85;
const FLAGS_SECOND = 0x01;

function isZero(bytes: Buffer, from: number, length: number): boolean {
  for (let at = from; at < from + length; at++) if (bytes[at] !== 0) return false;
  return true;
}

function durationOf(startLow: number, startHigh: number, endLow: number, endHigh: number): number {
  if (startLow === 0 && startHigh === 0) refuse('start time is missing');
  // Exact, or so long that it is refused.
  const durationNs = (endHigh - startHigh) * 2 ** 32 + (endLow - startLow);
  if (durationNs < 0) refuse('end time is before the start time');
  if (durationNs > LONGEST) refuse('duration is over 104 days');
  if (endHigh >= BEYOND) refuse('time is beyond the year 2262');
  return durationNs;
}

const scans = new WeakMap<WantedKeys, HeadScan>();

/** The head of a Span message as an object of its own; refuses one that has not ended; else as `scanHead`. */
export function readSpanHead(record: Uint8Array, wanted: WantedKeys): SpanHead {
  let head = scans.get(wanted);
  if (!head) {
    head = new HeadScan(wanted);
    scans.set(wanted, head);
  }
  scanHead(record, head);
  if (head.isOpen) refuse('end time is missing');
  const { bytes, traceAt, spanAt, parentAt, name, kind, startLow, startHigh, durationNs, failed } = head;
  return {
    traceId: seenIdText(bytes, traceAt, 16) as TraceId,
    spanId: seenIdText(bytes, spanAt, 8) as SpanId,
    parentSpanId: parentAt === NO_PARENT ? null : (seenIdText(bytes, parentAt, 8) as SpanId),
    name,
    kind: SPAN_KINDS[kind],
    start: (BigInt(startHigh) << 32n) | BigInt(startLow),
    durationNs,
    failed,
    told: head.toldCopy(),
  };
}

/** Longer attributes than this are left out of a head. */
export const LONGEST_TEXT = 256;

const WANTED_ONLY: AttributeTaker = {
  take: (bytes, lengthAt, start, end, head) => {
    if (end - start < 128 && isPlain(bytes, start, end)) {
      // Most attributes are told by the beginning of their key to be none that is wanted.
      const key = start + 2;
      const value = key + bytes[start + 1];
      if (!head.wanted.mayHave(value - key, bytes[key])) return;
      const name = cachedText(bytes, key, value);
      if (!head.wanted.has(name)) return;
      const isText = bytes[value + 2] === tag(1, BYTES);
      head.note(name, isText ? cachedText(bytes, value + 4, end) : smallVarint(bytes, value + 3, end));
      return;
    }
    const reader = readerOf(bytes);
    reader.pos = lengthAt;
    checkSubmessage(reader, KEY_VALUE, 0);
    if (end - start <= LONGEST_TEXT) tell(bytes, start, end, head);
  },
};

/** Whether an attribute is a key, and a text or a small number that fills its value, as nearly every one is. */
function isPlain(bytes: Buffer, start: number, end: number): boolean {
  const keyLength = bytes[start + 1];
  const value = start + 2 + keyLength;
  if (
    bytes[start] !== tag(1, BYTES) ||
    keyLength >= 128 ||
    bytes[value] !== tag(2, BYTES) ||
    value + 2 + bytes[value + 1] !== end
  )
    return false;
  return (
    (bytes[value + 2] === tag(1, BYTES) && value + 4 + bytes[value + 3] === end) ||
    (bytes[value + 2] === tag(3, VARINT) && isSmallVarint(bytes, value + 3, end))
  );
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
function tell(bytes: Buffer, start: number, end: number, head: HeadScan): void {
  const reader = readerOf(bytes);
  reader.pos = start;
  let key = '';
  let value: unknown;
  while (reader.pos < end) {
    const at = reader.uint32();
    if (at === tag(1, BYTES)) {
      key = cached(reader, bytes);
      if (!head.wanted.has(key)) return;
    } else if (at === tag(2, BYTES)) value = shortValue(reader, bytes);
    else reader.skipType(at & 7);
  }
  if (head.wanted.has(key) && (typeof value === 'string' || typeof value === 'number')) head.note(key, value);
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
