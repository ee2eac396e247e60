import type { Span } from '../../src/core/trace/span.ts';
import { visitRecords } from '../../src/formats/otlp/span/decodeTraces.ts';
import { encodeTracesProtobuf } from '../../src/formats/otlp/span/encodeProtobuf.ts';
import { Refusals } from '../../src/formats/otlp/wire/refusal.ts';
import { readRequest } from '../../src/formats/otlp/wire/request.ts';
import { SpanColumns } from '../../src/store/ingest/spanColumns.ts';

/** Spans as they are when a request with them has been read. */
export function columnsOf(spans: readonly Span[]): SpanColumns {
  const columns = new SpanColumns(spans.length);
  visitRecords(readRequest(encodeTracesProtobuf(spans)).groups, new Refusals(), columns);
  return columns;
}
