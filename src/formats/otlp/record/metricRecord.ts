import type { Attributes } from '../../../core/trace/span.ts';
import { readKeyValue, text } from '../attributes/attributes.ts';
import { checkMessage } from '../wire/check.ts';
import { METRIC } from '../wire/messages.ts';
import { RefusedRecord } from '../wire/refusal.ts';
import { BYTES, FIXED64, fixed64, message, type Reader, readerOf, submessage, tag, VARINT } from '../wire/wire.ts';

export type MetricType = 'gauge' | 'sum' | 'histogram' | 'exponential' | 'summary';

/** One measure, with its points. */
export interface Metric {
  readonly name: string;
  readonly unit: string;
  readonly type: MetricType;
  /** OpenTelemetry's number: 1 delta, 2 cumulative, 0 where there is none. */
  readonly temporality: number;
  readonly monotonic: boolean;
  readonly points: readonly MetricPoint[];
}

export interface MetricPoint {
  readonly attributes: Attributes;
  /** Epoch nanoseconds. */
  readonly time: bigint;
  /** Where a count began; null when not set. */
  readonly start: bigint | null;
  /** A number point's value, a distribution's sum; null when there is none. */
  readonly value: number | null;
  /** How many values a distribution counts; null for a number point. */
  readonly count: number | null;
  /** The data point itself, where value and count do not say all. */
  readonly whole: Uint8Array | null;
}

/** Where each kind of data point has its fields. */
interface Layout {
  readonly type: MetricType;
  readonly start: number;
  readonly time: number;
  readonly attributes: number;
  readonly count?: number;
  readonly sum?: number;
  readonly exemplars?: number;
}

const LAYOUTS: ReadonlyMap<number, Layout> = new Map([
  [5, { type: 'gauge', start: 2, time: 3, attributes: 7, exemplars: 5 }],
  [7, { type: 'sum', start: 2, time: 3, attributes: 7, exemplars: 5 }],
  [9, { type: 'histogram', start: 2, time: 3, attributes: 9, count: 4, sum: 5 }],
  [10, { type: 'exponential', start: 2, time: 3, attributes: 1, count: 4, sum: 5 }],
  [11, { type: 'summary', start: 2, time: 3, attributes: 7, count: 4, sum: 5 }],
]);

/** The bit of a data point's flags that says it has no value: the series was looked for and not there. */
const NO_VALUE = 1;
const LAST_TIME = 2n ** 63n - 1n;

/**
 * Reads a Metric message and checks all of it. Points are refused together: a sender that makes one wrong makes all of a metric wrong.
 *
 * @throws RefusedRecord with the reason why it cannot be kept; RangeError when the bytes are broken
 */
export function readMetric(record: Uint8Array): Metric {
  checkMessage(record, METRIC);
  const reader = readerOf(record);
  const points: MetricPoint[] = [];
  let name = '';
  let unit = '';
  let type: MetricType | undefined;
  let temporality = 0;
  let monotonic = false;
  message(reader, record.length, (at) => {
    if (at === tag(1, BYTES)) name = text(reader);
    else if (at === tag(3, BYTES)) unit = text(reader);
    else {
      const layout = (at & 7) === BYTES ? LAYOUTS.get(at >>> 3) : undefined;
      if (!layout) return false;
      type = layout.type;
      submessage(reader, (inner) => {
        if (inner === tag(1, BYTES)) points.push(readPoint(reader, record, layout));
        else if (inner === tag(2, VARINT)) temporality = reader.int32();
        else if (inner === tag(3, VARINT)) monotonic = reader.bool();
        else return false;
        return true;
      });
    }
    return true;
  });
  if (name === '') throw new RefusedRecord('a metric has no name');
  if (!type) throw new RefusedRecord('a metric has no data of a kind that is known here');
  return { name, unit, type, temporality: type === 'gauge' || type === 'summary' ? 0 : temporality, monotonic, points };
}

function readPoint(reader: Reader, record: Uint8Array, layout: Layout): MetricPoint {
  const attributes = {};
  const length = reader.uint32();
  const begin = reader.pos;
  let time = 0n;
  let start = 0n;
  let value: number | null = null;
  let count: number | null = null;
  let flags = 0;
  let isWhole = layout.count !== undefined;
  const isNumber = layout.count === undefined;
  message(reader, begin + length, (at) => {
    const field = at >>> 3;
    if (at === tag(layout.start, FIXED64)) start = fixed64(reader);
    else if (at === tag(layout.time, FIXED64)) time = fixed64(reader);
    else if (at === tag(layout.attributes, BYTES)) return readKeyValue(reader, attributes);
    else if (layout.count !== undefined && at === tag(layout.count, FIXED64)) count = Number(fixed64(reader));
    else if (layout.sum !== undefined && at === tag(layout.sum, FIXED64)) value = reader.double();
    else if (isNumber && at === tag(4, FIXED64)) value = reader.double();
    else if (isNumber && at === tag(6, FIXED64)) value = Number(BigInt.asIntN(64, fixed64(reader)));
    else if (at === tag(layout.type === 'exponential' || layout.type === 'histogram' ? 10 : 8, VARINT)) flags = reader.uint32();
    else {
      if (field === layout.exemplars) isWhole = true;
      return false;
    }
    return true;
  });
  if (time === 0n) throw new RefusedRecord('the time of a data point is missing');
  if (time > LAST_TIME || start > LAST_TIME) throw new RefusedRecord('time is beyond the year 2262');
  if (count !== null && !Number.isSafeInteger(count)) throw new RefusedRecord('the count of a data point is beyond 2^53');
  return {
    attributes,
    time,
    start: start === 0n ? null : start,
    value: (flags & NO_VALUE) === 0 ? value : null,
    count: isNumber ? null : (count ?? 0),
    whole: isWhole ? record.subarray(begin, begin + length) : null,
  };
}
