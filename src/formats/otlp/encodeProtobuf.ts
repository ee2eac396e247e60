import protobuf from 'protobufjs/minimal.js';
import {
  type Attributes,
  type AttributeValue,
  type InstrumentationScope,
  SPAN_KINDS,
  SPAN_STATUSES,
  type Span,
} from '../../core/trace/span.ts';

type Writer = protobuf.Writer;

/** Writes an OTLP protobuf trace export request. Spans that share a resource object and a scope object stand together. */
export function encodeTracesProtobuf(spans: readonly Span[]): Uint8Array {
  const byResource = new Map<Attributes, Map<InstrumentationScope, Span[]>>();
  for (const span of spans) {
    const scopes = byResource.get(span.resource) ?? new Map<InstrumentationScope, Span[]>();
    byResource.set(span.resource, scopes);
    const list = scopes.get(span.scope) ?? [];
    scopes.set(span.scope, list);
    list.push(span);
  }
  const writer = protobuf.Writer.create();
  for (const [resource, scopes] of byResource) {
    nested(writer, 1, () => {
      nested(writer, 1, () => writeAttributes(writer, 1, resource));
      for (const [scope, list] of scopes) {
        nested(writer, 2, () => {
          nested(writer, 1, () => {
            writeText(writer, 1, scope.name);
            writeText(writer, 2, scope.version);
          });
          for (const span of list) nested(writer, 2, () => writeSpan(writer, span));
        });
      }
    });
  }
  return writer.finish();
}

function writeSpan(writer: Writer, span: Span): void {
  writer.uint32(bytesTag(1)).bytes(fromHex(span.traceId));
  writer.uint32(bytesTag(2)).bytes(fromHex(span.spanId));
  writeText(writer, 3, span.traceState);
  if (span.parentSpanId) writer.uint32(bytesTag(4)).bytes(fromHex(span.parentSpanId));
  writeText(writer, 5, span.name);
  writer.uint32(6 << 3).int32(SPAN_KINDS.indexOf(span.kind));
  writeFixed64(writer, 7, span.start);
  writeFixed64(writer, 8, span.end);
  writeAttributes(writer, 9, span.attributes);
  for (const event of span.events) {
    nested(writer, 11, () => {
      writeFixed64(writer, 1, event.time);
      writeText(writer, 2, event.name);
      writeAttributes(writer, 3, event.attributes);
    });
  }
  for (const link of span.links) {
    nested(writer, 13, () => {
      writer.uint32(bytesTag(1)).bytes(fromHex(link.traceId));
      writer.uint32(bytesTag(2)).bytes(fromHex(link.spanId));
      writeText(writer, 3, link.traceState);
      writeAttributes(writer, 4, link.attributes);
    });
  }
  if (span.status === 'unset' && span.statusMessage === '') return;
  nested(writer, 15, () => {
    writeText(writer, 2, span.statusMessage);
    writer.uint32(3 << 3).int32(SPAN_STATUSES.indexOf(span.status));
  });
}

function writeAttributes(writer: Writer, field: number, attributes: Attributes): void {
  for (const [key, value] of Object.entries(attributes)) {
    nested(writer, field, () => {
      writeText(writer, 1, key);
      nested(writer, 2, () => writeAnyValue(writer, value));
    });
  }
}

function writeAnyValue(writer: Writer, value: AttributeValue): void {
  if (typeof value === 'string') writer.uint32(bytesTag(1)).string(value);
  else if (typeof value === 'boolean') writer.uint32(2 << 3).bool(value);
  else if (typeof value === 'number') {
    if (Number.isSafeInteger(value)) writer.uint32(3 << 3).int64(value);
    else writer.uint32((4 << 3) | 1).double(value);
  } else if (isList(value)) {
    nested(writer, 5, () => {
      for (const item of value) nested(writer, 1, () => writeAnyValue(writer, item));
    });
  } else if (value !== null) nested(writer, 6, () => writeAttributes(writer, 1, value));
}

function isList(value: AttributeValue): value is readonly AttributeValue[] {
  return Array.isArray(value);
}

function nested(writer: Writer, field: number, write: () => void): void {
  writer.uint32(bytesTag(field)).fork();
  write();
  writer.ldelim();
}

function bytesTag(field: number): number {
  return (field << 3) | 2;
}

function writeText(writer: Writer, field: number, text: string): void {
  if (text !== '') writer.uint32(bytesTag(field)).string(text);
}

function writeFixed64(writer: Writer, field: number, value: bigint): void {
  writer
    .uint32((field << 3) | 1)
    .fixed32(Number(value & 0xffffffffn))
    .fixed32(Number(value >> 32n));
}

function fromHex(hex: string): Uint8Array {
  const bytes = new Uint8Array(hex.length / 2);
  for (let i = 0; i < bytes.length; i++) bytes[i] = Number.parseInt(hex.slice(2 * i, 2 * i + 2), 16);
  return bytes;
}
