import type { Distribution } from '../../../core/pools/distribution.ts';
import { BYTES, FIXED64, fixed64, readerOf, signed64, submessage, tag, VARINT, wholeMessage } from '../wire/wire.ts';

/** Buckets that are read of a point, at most: a sender may write any number. */
const MOST_BUCKETS = 2_000;

/** The buckets of a histogram's data point, or of an exponential one's, as they came. */
export function readDistribution(point: Uint8Array, type: 'histogram' | 'exponential'): Distribution {
  return type === 'histogram' ? explicitOf(point) : exponentialOf(point);
}

function explicitOf(point: Uint8Array): Distribution {
  const counts: number[] = [];
  const bounds: number[] = [];
  let count = 0;
  let sum: number | null = null;
  wholeMessage(point, (reader, at) => {
    if (at === tag(4, FIXED64)) count = Number(fixed64(reader));
    else if (at === tag(5, FIXED64)) sum = reader.double();
    else if (at === tag(6, BYTES)) for (const value of fixedOf(reader.bytes())) counts.push(Number(value));
    else if (at === tag(7, BYTES)) for (const value of doublesOf(reader.bytes())) bounds.push(value);
    else return false;
    return true;
  });
  const buckets = counts.slice(0, MOST_BUCKETS).map((inside, at) => ({
    low: at === 0 ? 0 : bounds[at - 1],
    high: bounds[at] ?? Number.POSITIVE_INFINITY,
    count: inside,
  }));
  return { buckets: buckets.filter((it) => it.count > 0), count, sum };
}

function exponentialOf(point: Uint8Array): Distribution {
  let count = 0;
  let sum: number | null = null;
  let scale = 0;
  let zero = 0;
  let offset = 0;
  const counts: number[] = [];
  wholeMessage(point, (reader, at) => {
    if (at === tag(4, FIXED64)) count = Number(fixed64(reader));
    else if (at === tag(5, FIXED64)) sum = reader.double();
    else if (at === tag(6, VARINT)) scale = reader.sint32();
    else if (at === tag(7, FIXED64)) zero = Number(fixed64(reader));
    else if (at === tag(8, BYTES))
      submessage(reader, (field) => {
        if (field === tag(1, VARINT)) offset = reader.sint32();
        else if (field === tag(2, BYTES)) {
          const own = readerOf(reader.bytes());
          while (own.pos < own.len && counts.length < MOST_BUCKETS) counts.push(Number(signed64(own.uint64() as never)));
        } else return false;
        return true;
      });
    else return false;
    return true;
  });
  const base = 2 ** (2 ** -scale);
  const buckets = counts.map((inside, at) => ({ low: base ** (offset + at), high: base ** (offset + at + 1), count: inside }));
  const all = zero > 0 ? [{ low: 0, high: base ** offset, count: zero }, ...buckets] : buckets;
  return { buckets: all.filter((it) => it.count > 0), count, sum };
}

function fixedOf(bytes: Uint8Array): bigint[] {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  return Array.from({ length: Math.floor(bytes.length / 8) }, (_, at) => view.getBigUint64(8 * at, true));
}

function doublesOf(bytes: Uint8Array): number[] {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  return Array.from({ length: Math.floor(bytes.length / 8) }, (_, at) => view.getFloat64(8 * at, true));
}
