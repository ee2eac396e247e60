import type { Attributes, AttributeValue, EpochNanos } from '../../../core/trace/span.ts';
import {
  encodeRequest,
  nested,
  type Whose,
  type Writer,
  writeAnyValue,
  writeAttributes,
  writeFixed64,
  writeId,
  writeText,
} from '../wire/writer.ts';

/** A log record as its sender has it, or an event when it has a name. */
export interface OutgoingLog extends Whose {
  readonly time: EpochNanos;
  /** OpenTelemetry's severity number, 1 to 24; 0 when there is none. */
  readonly severity: number;
  readonly body: AttributeValue;
  readonly attributes: Attributes;
  readonly traceId?: string;
  readonly spanId?: string;
  readonly event?: string;
}

const TEXTS = ['', 'TRACE', 'DEBUG', 'INFO', 'WARN', 'ERROR', 'FATAL'];

/** Writes an OTLP protobuf logs export request. */
export function encodeLogsProtobuf(records: readonly OutgoingLog[]): Uint8Array {
  return encodeRequest(records, (writer, list) => {
    for (const record of list) nested(writer, 2, () => writeLog(writer, record));
  });
}

function writeLog(writer: Writer, { time, severity, body, attributes, traceId, spanId, event }: OutgoingLog): void {
  writeFixed64(writer, 1, time);
  if (severity > 0) {
    writer.uint32(2 << 3).int32(severity);
    writeText(writer, 3, TEXTS[Math.ceil(severity / 4)]);
  }
  if (body !== null) nested(writer, 5, () => writeAnyValue(writer, body));
  writeAttributes(writer, 6, attributes);
  if (traceId) {
    writer.uint32((8 << 3) | 5).fixed32(1);
    writeId(writer, 9, traceId);
  }
  if (spanId) writeId(writer, 10, spanId);
  writeFixed64(writer, 11, time);
  if (event) writeText(writer, 12, event);
}
