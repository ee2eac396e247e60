import { type Attributes, parseSpanId, SPAN_KINDS, type SpanId, type SpanKind } from '../../core/trace/span.ts';

import { readSpan, serviceOf } from './spanRecord.ts';
import { cachedText } from './textCache.ts';
import { BYTES, FIXED64, idHex, message, readerOf, tag, VARINT } from './wire.ts';

/** What most questions about a span need, read without its attributes; these are read when they are asked for. */
export class SpanOutline {
  readonly spanId: SpanId;
  readonly parentSpanId: SpanId | null;
  readonly name: string;
  readonly start: bigint;
  readonly kind: SpanKind;
  readonly durationNs: number;
  readonly failed: boolean;
  readonly service: string;
  readonly resource: Attributes;
  readonly #record: Uint8Array;
  #attributes: Attributes | undefined;

  /** @param record a Span message that is kept, so that it need not be checked again */
  constructor(record: Uint8Array, resource: Attributes) {
    const bytes = Buffer.isBuffer(record) ? record : Buffer.from(record.buffer, record.byteOffset, record.byteLength);
    const end = bytes.length;
    let spanId = '';
    let parentSpanId: SpanId | null = null;
    let name = '';
    let kind = 0;
    let startLow = 0;
    let startHigh = 0;
    let endLow = 0;
    let endHigh = 0;
    let code = 0;
    let at = 0;
    while (at < end) {
      const field = bytes[at];
      const length = bytes[at + 1];
      if (length < 128 && (field & 7) === BYTES && field < 128) {
        if (field === tag(2, BYTES)) spanId = idHex(bytes.subarray(at + 2, at + 2 + length));
        else if (field === tag(4, BYTES)) parentSpanId = parseSpanId(idHex(bytes.subarray(at + 2, at + 2 + length))) ?? null;
        else if (field === tag(5, BYTES)) name = cachedText(bytes, at + 2, at + 2 + length);
        else if (field === tag(15, BYTES)) code = codeOf(bytes.subarray(at + 2, at + 2 + length));
        at += 2 + length;
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
      } else
        at = this.#skip(
          bytes,
          at,
          (text) => (name = text),
          (it) => (code = it),
        );
    }
    this.spanId = spanId as SpanId;
    this.parentSpanId = parentSpanId;
    this.name = name;
    this.kind = SPAN_KINDS[kind] ?? 'unspecified';
    this.start = (BigInt(startHigh) << 32n) | BigInt(startLow);
    // The halves apart: each is exact, and so is their difference below 104 days.
    this.durationNs = Math.max(0, (endHigh - startHigh) * 2 ** 32 + endLow - startLow);
    this.failed = code === 2;
    this.resource = resource;
    this.service = serviceOf(resource);
    this.#record = record;
  }

  get attributes(): Attributes {
    this.#attributes ??= readSpan(this.#record, this.resource, { name: '', version: '' }).attributes;
    return this.#attributes;
  }

  /** A field with a longer tag or length than the usual; name and status are read there too. */
  #skip(bytes: Buffer, at: number, onName: (text: string) => void, onCode: (code: number) => void): number {
    const reader = readerOf(bytes);
    reader.pos = at;
    const found = reader.uint32();
    if (found === tag(5, BYTES)) onName(reader.string());
    else if (found === tag(15, BYTES)) onCode(codeOf(reader.bytes()));
    else reader.skipType(found & 7);
    return reader.pos;
  }
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
