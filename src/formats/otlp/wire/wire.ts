import protobuf from 'protobufjs/minimal.js';

export type Reader = protobuf.Reader;
/** Reads one field, named by number and wire type together; returns false for a field it does not know. */
export type ReadField = (tag: number) => boolean;

/** How a value is laid out on the wire. */
export const VARINT = 0;
export const FIXED64 = 1;
export const BYTES = 2;
export const FIXED32 = 5;
export const tag = (field: number, wire: number) => ((field << 3) | wire) >>> 0;

export function readerOf(bytes: Uint8Array): Reader {
  return protobuf.Reader.create(bytes);
}

/** Reads fields up to `end`; skips those that `field` does not know. @throws RangeError when the bytes are no message */
export function message(reader: Reader, end: number, field: ReadField): void {
  if (end > reader.len) throw new RangeError(`a message ends at byte ${end} of ${reader.len}`);
  while (reader.pos < end) {
    const at = reader.uint32();
    if (at >>> 3 === 0) throw new RangeError(`field number 0 at byte ${reader.pos}`);
    if (!field(at)) reader.skipType(at & 7);
  }
  if (reader.pos !== end) throw new RangeError(`a field runs past the end of its message at byte ${end}`);
}

/** Reads a message that stands in a field of another: its length, then its fields. */
export function submessage(reader: Reader, field: ReadField): void {
  const length = reader.uint32();
  message(reader, reader.pos + length, field);
}

/** Reads a message that is all of `bytes`. */
export function wholeMessage(bytes: Uint8Array, field: (reader: Reader, tag: number) => boolean): void {
  const reader = readerOf(bytes);
  message(reader, bytes.length, (at) => field(reader, at));
}

export function fixed64(reader: Reader): bigint {
  const low = reader.fixed32();
  return (BigInt(reader.fixed32()) << 32n) | BigInt(low);
}

/** A 64-bit integer as protobufjs reads it: a pair of halves, or a number where it has no such type. */
export function signed64(long: { low: number; high: number } | number): bigint {
  if (typeof long === 'number') return BigInt(long);
  return (BigInt(long.high) << 32n) | BigInt(long.low >>> 0);
}

const HEX = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, '0'));

/** Lower-case hex. An id has at most 16 bytes; what is longer is refused for its length, of which 17 bytes tell enough. */
export function idHex(bytes: Uint8Array): string {
  let result = '';
  const length = Math.min(bytes.length, 17);
  for (let at = 0; at < length; at++) result += HEX[bytes[at]];
  return result;
}

export function fromHex(hex: string): Uint8Array {
  const bytes = new Uint8Array(hex.length / 2);
  for (let at = 0; at < bytes.length; at++) bytes[at] = Number.parseInt(hex.slice(2 * at, 2 * at + 2), 16);
  return bytes;
}
