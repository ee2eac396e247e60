import type { Attributes, EpochNanos } from '../../../core/trace/span.ts';
import {
  bytesTag,
  encodeRequest,
  nested,
  type Whose,
  type Writer,
  writeAttributes,
  writeDouble,
  writeFixed64,
  writeId,
  writeText,
} from '../wire/writer.ts';

/** A measured value that represents a point, and the span it was measured in. */
export interface OutgoingExemplar {
  readonly time: EpochNanos;
  readonly value: number;
  readonly traceId: string;
  readonly spanId: string;
}

/** A data point of a metric as its sender has it. Sums and histograms count what came since `start`. */
export interface OutgoingPoint extends Whose {
  readonly name: string;
  readonly unit: string;
  readonly attributes: Attributes;
  readonly start: EpochNanos;
  readonly time: EpochNanos;
  readonly value:
    | { readonly kind: 'gauge' | 'count'; readonly number: number }
    | {
        readonly kind: 'histogram';
        readonly bounds: readonly number[];
        /** One more than there are bounds. */
        readonly counts: readonly number[];
        readonly sum: number;
        readonly exemplars: readonly OutgoingExemplar[];
      };
}

const DELTA = 1;

/** Writes an OTLP protobuf metrics export request. Points of one name next to each other stand in one metric. */
export function encodeMetricsProtobuf(points: readonly OutgoingPoint[]): Uint8Array {
  return encodeRequest(points, (writer, list) => {
    for (let from = 0; from < list.length; ) {
      let to = from + 1;
      while (to < list.length && list[to].name === list[from].name) to++;
      nested(writer, 2, () => writeMetric(writer, list.slice(from, to)));
      from = to;
    }
  });
}

const FIELDS = { gauge: 5, count: 7, histogram: 9 } as const;

function writeMetric(writer: Writer, points: readonly OutgoingPoint[]): void {
  const { name, unit, value } = points[0];
  writeText(writer, 1, name);
  writeText(writer, 3, unit);
  nested(writer, FIELDS[value.kind], () => {
    for (const point of points) nested(writer, 1, () => writePoint(writer, point));
    if (value.kind === 'gauge') return;
    writer.uint32(2 << 3).int32(DELTA);
    if (value.kind === 'count') writer.uint32(3 << 3).bool(true);
  });
}

function writePoint(writer: Writer, { attributes, start, time, value }: OutgoingPoint): void {
  writeFixed64(writer, 2, start);
  writeFixed64(writer, 3, time);
  if (value.kind !== 'histogram') {
    writeDouble(writer, 4, value.number);
    writeAttributes(writer, 7, attributes);
    return;
  }
  writeFixed64(writer, 4, BigInt(value.counts.reduce((sum, count) => sum + count, 0)));
  writeDouble(writer, 5, value.sum);
  writer.uint32(bytesTag(6)).fork();
  for (const count of value.counts) writer.fixed64(count);
  writer.ldelim();
  writer.uint32(bytesTag(7)).fork();
  for (const bound of value.bounds) writer.double(bound);
  writer.ldelim();
  for (const exemplar of value.exemplars)
    nested(writer, 8, () => {
      writeFixed64(writer, 2, exemplar.time);
      writeDouble(writer, 3, exemplar.value);
      writeId(writer, 4, exemplar.spanId);
      writeId(writer, 5, exemplar.traceId);
    });
  writeAttributes(writer, 9, attributes);
}
