import type { Codes, Column, Segment } from '../../core/columns/segment.ts';
import { packCodes, packNumbers, unpackCodes, unpackNumbers } from './planes.ts';

/** Raised when the layout changes or what it holds: segments of another version are built anew from the spans. */
export const SEGMENT_VERSION = 5;

/** How bytes are compressed; each column by itself, so that one is read without the others. */
export interface Compression {
  readonly deflate: (bytes: Uint8Array) => Uint8Array;
  /** @param expected bytes that it is likely to be, at most; it may be more */
  readonly inflate: (bytes: Uint8Array, expected: number) => Uint8Array;
}

/** Where the parts of a column lie among the bytes: sizes as compressed, in the order of the columns. */
interface ColumnHeader {
  readonly name: string;
  readonly type: Column['type'];
  /** Of the list column's items, or the width of the byte column. */
  readonly count: number;
  readonly sizes: readonly number[];
}

interface Header {
  readonly version: number;
  readonly rows: number;
  readonly columns: readonly ColumnHeader[];
}

/** A segment as bytes: the length of the header (32 bits, little endian), the header as JSON, the compressed parts of the columns. */
export function encodeSegment(segment: Segment, { deflate }: Compression): Uint8Array {
  const parts: Uint8Array[] = [];
  const columns = segment.names.map((name): ColumnHeader => {
    const column = segment.column(name)!;
    const own = partsOf(column).map(deflate);
    parts.push(...own);
    const count = itemCount(column);
    return { name, type: column.type, count, sizes: own.map(({ length }) => length) };
  });
  const header = UTF8.encode(JSON.stringify({ version: SEGMENT_VERSION, rows: segment.rows, columns } satisfies Header));
  const bytes = new Uint8Array(4 + header.length + parts.reduce((sum, { length }) => sum + length, 0));
  new DataView(bytes.buffer).setUint32(0, header.length, true);
  bytes.set(header, 4);
  let at = 4 + header.length;
  for (const part of parts) {
    bytes.set(part, at);
    at += part.length;
  }
  return bytes;
}

function itemCount(column: Column): number {
  if (column.type === 'lists') return column.items.length;
  if (column.type === 'numberLists') return column.values.length;
  return column.type === 'bytes' ? column.width : 0;
}

const UTF8 = new TextEncoder();
const FROM_UTF8 = new TextDecoder();

function partsOf(column: Column): Uint8Array[] {
  switch (column.type) {
    case 'numbers':
      return [packNumbers(column.values)];
    case 'codes':
      return [packCodes(column.values), packTexts(column.texts)];
    case 'lists':
      return [packCodes(lengthsOf(column.offsets)), packCodes(column.items), packTexts(column.texts)];
    case 'numberLists':
      return [packCodes(lengthsOf(column.offsets)), packNumbers(column.values)];
    case 'bytes':
      return [column.values];
  }
}

function lengthsOf(offsets: Codes): Uint32Array {
  return Uint32Array.from({ length: offsets.length - 1 }, (_, row) => offsets[row + 1] - offsets[row]);
}

/** @param sum of all lengths */
function offsetsOf(lengths: Codes, sum: number): Codes {
  const offsets =
    sum < 2 ** 8
      ? new Uint8Array(lengths.length + 1)
      : sum < 2 ** 16
        ? new Uint16Array(lengths.length + 1)
        : new Uint32Array(lengths.length + 1);
  for (let row = 0; row < lengths.length; row++) offsets[row + 1] = offsets[row] + lengths[row];
  return offsets;
}

function packTexts(texts: readonly string[]): Uint8Array {
  return texts.length === 0 ? new Uint8Array(0) : UTF8.encode(JSON.stringify(texts));
}

function unpackTexts(bytes: Uint8Array): string[] {
  return bytes.length === 0 ? [] : (JSON.parse(FROM_UTF8.decode(bytes)) as string[]);
}

/** Texts that are taken apart when they are asked for first. */
class LazyTexts {
  #bytes: Uint8Array | undefined;
  #texts: readonly string[] | undefined;
  #memory = 0;

  constructor(bytes: Uint8Array) {
    // A copy: what was inflated is a part of a larger buffer.
    this.#bytes = new Uint8Array(bytes);
    this.#memory = bytes.length;
  }

  get texts(): readonly string[] {
    if (!this.#texts) {
      this.#texts = unpackTexts(this.#bytes!);
      this.#bytes = undefined;
      this.#memory = textMemory(this.#texts);
    }
    return this.#texts;
  }

  readonly joined = (): string | undefined => this.#bytes && FROM_UTF8.decode(this.#bytes);

  get memory(): number {
    return this.#memory;
  }
}

function textMemory(texts: readonly string[]): number {
  return texts.reduce((sum, text) => sum + 2 * text.length + 32, 0);
}

/** A segment whose columns are unpacked when they are asked for first. */
export interface PackedSegment extends Segment {
  /** Bytes of memory as it is packed, and of the columns that are unpacked now. */
  readonly packed: number;
  readonly unpacked: () => number;
  /** Gives the memory of the unpacked columns back; they are unpacked again when they are asked for. */
  readonly forget: () => void;
}

/** @returns undefined when the bytes are of another version @throws RangeError when they are broken */
export function decodeSegment(bytes: Uint8Array, { inflate }: Compression): PackedSegment | undefined {
  const length = new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true);
  const header = JSON.parse(FROM_UTF8.decode(bytes.subarray(4, 4 + length))) as Header;
  if (header.version !== SEGMENT_VERSION) return undefined;
  const { rows } = header;
  const places = new Map<string, ColumnHeader & { readonly at: number }>();
  let at = 4 + length;
  for (const column of header.columns) {
    places.set(column.name, { ...column, at });
    for (const size of column.sizes) at += size;
  }
  const unpacked = new Map<string, { readonly column: Column; readonly memory: () => number }>();
  return {
    rows,
    names: [...places.keys()],
    packed: bytes.length,
    unpacked: () => {
      let sum = 0;
      for (const { memory } of unpacked.values()) sum += memory();
      return sum;
    },
    forget: () => unpacked.clear(),
    column: (name) => {
      const known = unpacked.get(name);
      if (known) return known.column;
      const place = places.get(name);
      if (!place) return undefined;
      let from = place.at;
      const parts = place.sizes.map((size) => {
        const part = inflate(bytes.subarray(from, from + size), 1 + 4 * Math.max(rows, place.count));
        from += size;
        return part;
      });
      const it = columnOf(place, parts, rows);
      unpacked.set(name, it);
      return it.column;
    },
  };
}

/** A column, and the bytes of memory that it takes, which grow when its texts are taken apart; those by an estimate. */
function columnOf(
  { type, count }: ColumnHeader,
  parts: readonly Uint8Array[],
  rows: number,
): { column: Column; memory: () => number } {
  switch (type) {
    case 'numbers': {
      const values = unpackNumbers(parts[0], rows);
      return { column: { type, values }, memory: () => values.byteLength };
    }
    case 'codes': {
      const values = unpackCodes(parts[0], rows);
      const lazy = new LazyTexts(parts[1]);
      const column = {
        type,
        values,
        get texts() {
          return lazy.texts;
        },
        joined: lazy.joined,
      };
      return { column, memory: () => values.byteLength + lazy.memory };
    }
    case 'lists': {
      const offsets = offsetsOf(unpackCodes(parts[0], rows), count);
      const items = unpackCodes(parts[1], count);
      const lazy = new LazyTexts(parts[2]);
      const column = {
        type,
        offsets,
        items,
        get texts() {
          return lazy.texts;
        },
        joined: lazy.joined,
      };
      return { column, memory: () => offsets.byteLength + items.byteLength + lazy.memory };
    }
    case 'numberLists': {
      const offsets = offsetsOf(unpackCodes(parts[0], rows), count);
      const values = unpackNumbers(parts[1], count);
      return { column: { type, offsets, values }, memory: () => offsets.byteLength + values.byteLength };
    }
    case 'bytes': {
      // A copy: what was inflated is a part of a larger buffer.
      const values = new Uint8Array(parts[0]);
      return { column: { type, width: count, values }, memory: () => values.byteLength };
    }
  }
}
