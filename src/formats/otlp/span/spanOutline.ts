import {
  type Attributes,
  type InstrumentationScope,
  SPAN_KINDS,
  SPAN_STATUSES,
  type Span,
  type SpanEvent,
  type SpanId,
  type SpanKind,
  type SpanLink,
  type SpanStatus,
  type TraceId,
} from '../../../core/trace/span.ts';
import { spanIdText, traceIdText } from '../wire/idText.ts';
import { cachedText } from '../wire/textCache.ts';
import { BYTES, FIXED64, message, readerOf, tag, VARINT } from '../wire/wire.ts';
import { readSpan, serviceOf } from './spanRecord.ts';

/** A kept span, of which only the head is read at first; attributes, events, links and words are read when they are asked for. */
class SpanOutline implements Span {
  readonly traceId: TraceId;
  readonly spanId: SpanId;
  readonly parentSpanId: SpanId | null;
  readonly name: string;
  readonly start: bigint;
  readonly end: bigint;
  readonly durationNs: number;
  readonly kind: SpanKind;
  readonly status: SpanStatus;
  readonly failed: boolean;
  readonly service: string;
  readonly resource: Attributes;
  readonly scope: InstrumentationScope;
  readonly #record: Uint8Array;
  readonly #hasEvents: boolean;
  readonly #hasLinks: boolean;
  #whole: Span | undefined;

  constructor(record: Uint8Array, resource: Attributes, scope: InstrumentationScope) {
    const bytes = Buffer.isBuffer(record) ? record : Buffer.from(record.buffer, record.byteOffset, record.byteLength);
    const end = bytes.length;
    let traceId = '';
    let spanId = '';
    let parentSpanId: SpanId | null = null;
    let name = '';
    let kind = 0;
    let startLow = 0;
    let startHigh = 0;
    let endLow = 0;
    let endHigh = 0;
    let code = 0;
    let hasEvents = false;
    let hasLinks = false;
    let at = 0;
    while (at < end) {
      const field = bytes[at];
      const length = bytes[at + 1];
      if (length < 128 && (field & 7) === BYTES && field < 128) {
        const from = at + 2;
        at = from + length;
        switch (field) {
          case tag(1, BYTES):
            traceId = length === 16 ? traceIdText(bytes, from) : bytes.toString('hex', from, at);
            break;
          case tag(2, BYTES):
            spanId = bytes.toString('hex', from, at);
            break;
          case tag(4, BYTES):
            parentSpanId = spanIdText(bytes, from, at) as SpanId | null;
            break;
          case tag(5, BYTES):
            name = cachedText(bytes, from, at);
            break;
          case tag(11, BYTES):
            hasEvents = true;
            break;
          case tag(13, BYTES):
            hasLinks = true;
            break;
          case tag(15, BYTES):
            code = codeOf(bytes.subarray(from, at));
        }
      } else if (field === tag(6, VARINT) && length < 128) {
        kind = length;
        at += 2;
      } else if (field === tag(7, FIXED64)) {
        startLow = bytes.readUInt32LE(at + 1);
        startHigh = bytes.readUInt32LE(at + 5);
        at += 9;
      } else if (field === tag(8, FIXED64)) {
        endLow = bytes.readUInt32LE(at + 1);
        endHigh = bytes.readUInt32LE(at + 5);
        at += 9;
      } else {
        // A longer tag or length than the usual.
        const reader = readerOf(bytes);
        reader.pos = at;
        const found = reader.uint32();
        if (found === tag(5, BYTES)) name = reader.string();
        else if (found === tag(15, BYTES)) code = codeOf(reader.bytes());
        else {
          hasEvents ||= found === tag(11, BYTES);
          hasLinks ||= found === tag(13, BYTES);
          reader.skipType(found & 7);
        }
        at = reader.pos;
      }
    }
    this.traceId = traceId as TraceId;
    this.spanId = spanId as SpanId;
    this.parentSpanId = parentSpanId;
    this.name = name;
    this.kind = SPAN_KINDS[kind] ?? 'unspecified';
    this.start = (BigInt(startHigh) << 32n) | BigInt(startLow);
    // The halves apart: each is exact, and so is their difference below 104 days.
    this.durationNs = Math.max(0, (endHigh - startHigh) * 2 ** 32 + endLow - startLow);
    this.end = this.start + BigInt(this.durationNs);
    this.status = SPAN_STATUSES[code] ?? 'unset';
    this.failed = this.status === 'error';
    this.resource = resource;
    this.scope = scope;
    this.service = serviceOf(resource);
    this.#record = record;
    this.#hasEvents = hasEvents;
    this.#hasLinks = hasLinks;
  }

  get attributes(): Attributes {
    return this.#read().attributes;
  }

  get events(): readonly SpanEvent[] {
    return this.#hasEvents ? this.#read().events : [];
  }

  get links(): readonly SpanLink[] {
    return this.#hasLinks ? this.#read().links : [];
  }

  get statusMessage(): string {
    return this.#read().statusMessage;
  }

  get traceState(): string {
    return this.#read().traceState;
  }

  #read(): Span {
    this.#whole ??= readSpan(this.#record, this.resource, this.scope);
    return this.#whole;
  }
}

/** Reads the head of a span. @param record a Span message that is kept, so that it need not be checked again */
export function outlineSpan(record: Uint8Array, resource: Attributes, scope: InstrumentationScope): SpanOutline {
  return new SpanOutline(record, resource, scope);
}

function codeOf(status: Uint8Array): number {
  let code = 0;
  const reader = readerOf(status);
  message(reader, status.length, (at) => {
    if (at !== tag(3, VARINT)) return false;
    code = reader.int32();
    return true;
  });
  return code;
}
