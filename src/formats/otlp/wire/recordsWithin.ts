import { METRIC, type Signal } from './messages.ts';
import type { TelemetryRequest } from './request.ts';
import { BYTES, FIXED64, fixed64, message, readerOf, tag } from './wire.ts';

/** Where each signal's record has its time; a second where the first may be absent. */
const TIME_FIELDS: Readonly<Record<Exclude<Signal, 'metrics'>, readonly number[]>> = {
  traces: [7],
  logs: [1, 11],
  profiles: [3],
};

/**
 * A request with those records only whose time is in a stretch: a span's start, a log record's time, a profile's. A metric stays when any of
 * its points is in it. The same request when all are.
 */
export function recordsWithin(request: TelemetryRequest, signal: Signal, from: bigint, to: bigint): TelemetryRequest {
  const isWithin = (time: bigint) => time >= from && time < to;
  const groups = request.groups
    .map((group) => {
      const records = group.records.filter((record) => timesOf(record, signal).some(isWithin));
      return records.length === group.records.length ? group : { ...group, records };
    })
    .filter(({ records }) => records.length > 0);
  return { groups, beside: request.beside };
}

function timesOf(record: Uint8Array, signal: Signal): bigint[] {
  if (signal === 'metrics') {
    const times = pointTimes(record);
    // A metric without points is of any time.
    return times.length > 0 ? times : [0n];
  }
  const found = new Map<number, bigint>();
  const reader = readerOf(record);
  message(reader, record.length, (at) => {
    if ((at & 7) !== FIXED64) return false;
    found.set(at >>> 3, fixed64(reader));
    return true;
  });
  for (const field of TIME_FIELDS[signal]) {
    const time = found.get(field);
    if (time) return [time];
  }
  return [0n];
}

/** The fields of a metric that hold its data points, one for each kind. */
const POINT_LISTS = new Set(
  METRIC.fields.filter(({ type, repeated }) => typeof type !== 'string' && !repeated).map(({ number }) => number),
);

/** The times of all data points of a metric: field 3 of each, whatever its kind. */
function pointTimes(record: Uint8Array): bigint[] {
  const times: bigint[] = [];
  const reader = readerOf(record);
  message(reader, record.length, (at) => {
    if ((at & 7) !== BYTES || !POINT_LISTS.has(at >>> 3)) return false;
    const end = reader.uint32() + reader.pos;
    message(reader, end, (inner) => {
      if (inner !== tag(1, BYTES)) return false;
      const pointEnd = reader.uint32() + reader.pos;
      message(reader, pointEnd, (field) => {
        if (field !== tag(3, FIXED64)) return false;
        times.push(fixed64(reader));
        return true;
      });
      return true;
    });
    return true;
  });
  return times;
}
