import { SPAN_KINDS, SPAN_STATUSES, type Span } from '../../../core/trace/span.ts';
import { encodeRequest, nested, type Writer, writeAttributes, writeFixed64, writeId, writeText } from '../wire/writer.ts';

/** Writes an OTLP protobuf trace export request. */
export function encodeTracesProtobuf(spans: readonly Span[]): Uint8Array {
  return encodeRequest(spans, (writer, list) => {
    for (const span of list) nested(writer, 2, () => writeSpan(writer, span));
  });
}

function writeSpan(writer: Writer, span: Span): void {
  writeId(writer, 1, span.traceId);
  writeId(writer, 2, span.spanId);
  writeText(writer, 3, span.traceState);
  if (span.parentSpanId) writeId(writer, 4, span.parentSpanId);
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
      writeId(writer, 1, link.traceId);
      writeId(writer, 2, link.spanId);
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
