import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { VarintReader, VarintWriter } from './varint.ts';

function written(...numbers: readonly number[]): Uint8Array {
  const writer = new VarintWriter();
  // What was written before it began anew is gone.
  writer.varint(77);
  writer.clear();
  for (const it of numbers) writer.varint(it);
  return writer.written();
}

describe('numbers of few bytes', () => {
  it('are read as they were written, as far as numbers are exact', () => {
    fc.assert(
      fc.property(fc.array(fc.maxSafeNat()), (numbers) => {
        const reader = new VarintReader(written(...numbers));
        const read: number[] = [];
        while (!reader.isAtEnd) read.push(reader.next());
        expect(read).toEqual(numbers);
      }),
    );
  });

  it.each([
    [0, 1],
    [127, 1],
    [128, 2],
    [16_383, 2],
    [16_384, 3],
    [Number.MAX_SAFE_INTEGER, 8],
  ])('of %i are %i', (number, length) => {
    expect(written(number)).toHaveLength(length);
  });

  it('that end in the middle are an error', () => {
    expect(() => new VarintReader(written(300).slice(0, 1)).next()).toThrow(RangeError);
    expect(() => new VarintReader(new Uint8Array(0)).next()).toThrow(RangeError);
  });
});
