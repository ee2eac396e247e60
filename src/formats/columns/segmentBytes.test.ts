import { deflateRawSync, inflateRawSync } from 'node:zlib';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ColumnWriter } from '../../core/columns/columnWriter.ts';
import { codesOf, listsOf, numberListsOf, numbersOf } from '../../core/columns/segment.ts';
import { packCodes, packNumbers, unpackCodes, unpackNumbers } from './planes.ts';
import { decodeSegment, encodeSegment } from './segmentBytes.ts';

const COMPRESSION = {
  deflate: (bytes: Uint8Array) => deflateRawSync(bytes),
  inflate: (bytes: Uint8Array) => inflateRawSync(bytes),
};

describe('numbers as planes', () => {
  it('come back as they were: whole ones, fractions, negative ones, none', () => {
    fc.assert(
      fc.property(fc.array(fc.oneof(fc.maxSafeNat(), fc.double(), fc.constant(Number.NaN), fc.constant(-0))), (list) => {
        const values = Float64Array.from(list);
        expect([...unpackNumbers(packNumbers(values), values.length)]).toEqual(list);
      }),
    );
  });

  it('take no more bytes than the largest needs', () => {
    expect(packNumbers(Float64Array.of(0, 0, 0)).length).toBe(1);
    expect(packNumbers(Float64Array.of(1, 255, 256)).length).toBe(1 + 2 * 3);
    expect(packCodes(Uint32Array.of(2 ** 32 - 1)).length).toBe(5);
  });

  it('are refused when bytes are missing', () => {
    const bytes = packCodes(Uint32Array.of(7, 300));
    expect(() => unpackCodes(bytes.subarray(0, 3), 2)).toThrow(RangeError);
    expect(() => unpackNumbers(Uint8Array.of(9, 0), 1)).toThrow(RangeError);
  });
});

describe('a segment', () => {
  const row = fc.record({
    number: fc.option(fc.double({ noNaN: true }), { nil: undefined }),
    code: fc.option(fc.nat(2 ** 31), { nil: undefined }),
    text: fc.option(fc.string(), { nil: undefined }),
    list: fc.array(fc.string({ maxLength: 3 })),
    numbers: fc.array(fc.maxSafeNat()),
  });

  it('is read back as it was written, whatever is missing in which row', () => {
    fc.assert(
      fc.property(fc.array(row), (rows) => {
        const writer = new ColumnWriter();
        for (const it of rows) {
          if (it.number !== undefined) writer.number('number', it.number);
          if (it.code !== undefined) writer.code('code', it.code);
          if (it.text !== undefined) writer.text('text', it.text);
          for (const value of it.list) writer.addText('list', value);
          for (const value of it.numbers) writer.addNumber('numbers', value);
          writer.endRow();
        }
        const read = decodeSegment(encodeSegment(writer.finish(), COMPRESSION), COMPRESSION)!;
        expect(read.rows).toBe(rows.length);
        const text = codesOf(read, 'text');
        const list = listsOf(read, 'list');
        const numbers = numberListsOf(read, 'numbers');
        for (const [at, it] of rows.entries()) {
          expect(numbersOf(read, 'number')[at]).toBe(it.number ?? Number.NaN);
          expect(codesOf(read, 'code').values[at]).toBe(it.code ?? 0);
          expect(text.values[at] === 0 ? undefined : text.texts[text.values[at] - 1]).toBe(it.text);
          const items = [...list.items.subarray(list.offsets[at], list.offsets[at + 1])];
          expect(items.map((item) => list.texts[item])).toEqual(it.list);
          expect([...numbers.values.subarray(numbers.offsets[at], numbers.offsets[at + 1])]).toEqual(it.numbers);
        }
      }),
    );
  });

  it('of another version is not read', () => {
    const bytes = encodeSegment(new ColumnWriter().finish(), COMPRESSION);
    const text = Buffer.from(bytes)
      .toString('latin1')
      .replace(/"version":\d/, '"version":0');
    expect(decodeSegment(Buffer.from(text, 'latin1'), COMPRESSION)).toBeUndefined();
  });

  it('counts what it has unpacked, gives it back, and unpacks it again', () => {
    const writer = new ColumnWriter();
    for (let at = 0; at < 100; at++) {
      writer.number('a', at);
      writer.endRow();
    }
    const read = decodeSegment(encodeSegment(writer.finish(), COMPRESSION), COMPRESSION)!;
    expect(read.unpacked()).toBe(0);
    const column = read.column('a');
    expect(read.column('a')).toBe(column);
    // All are below 256: a byte each.
    expect(read.unpacked()).toBe(100);
    read.forget();
    expect(read.unpacked()).toBe(0);
    expect(read.column('a')).toEqual(column);
    expect(read.unpacked()).toBe(100);
    expect(read.packed).toBeGreaterThan(0);
  });

  it.each([
    ['a byte', 255, Uint8Array, 1],
    ['two bytes', 65_535, Uint16Array, 2],
    ['three bytes', 2 ** 24 - 1, Uint32Array, 4],
    ['four bytes', 2 ** 32 - 1, Uint32Array, 4],
    ['six bytes', 2 ** 48 - 1, Float64Array, 8],
    ['no whole number', 0.5, Float64Array, 8],
  ])('holds numbers in as few bytes as the largest needs: %s', (_, largest, type, width) => {
    const writer = new ColumnWriter();
    const numbers = [0, 1, 3, largest, 2];
    for (const it of numbers) {
      writer.number('a', it);
      writer.endRow();
    }
    const read = decodeSegment(encodeSegment(writer.finish(), COMPRESSION), COMPRESSION)!;
    const values = numbersOf(read, 'a');
    expect([...values]).toEqual(numbers);
    expect(values).toBeInstanceOf(type);
    expect(read.unpacked()).toBe(width * numbers.length);
    // What was read is written as it was.
    expect(encodeSegment(read, COMPRESSION)).toEqual(encodeSegment(writer.finish(), COMPRESSION));
  });
});
