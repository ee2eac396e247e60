import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { putVarint, VarintReader } from './varint.ts';

describe('numbers of few bytes', () => {
  it('are read as they were written, as far as numbers are exact', () => {
    fc.assert(
      fc.property(fc.array(fc.maxSafeNat()), (numbers) => {
        const bytes: number[] = [];
        for (const it of numbers) putVarint(bytes, it);
        const reader = new VarintReader(Uint8Array.from(bytes));
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
    const bytes: number[] = [];
    putVarint(bytes, number);
    expect(bytes).toHaveLength(length);
  });

  it('that end in the middle are an error', () => {
    const bytes: number[] = [];
    putVarint(bytes, 300);
    expect(() => new VarintReader(Uint8Array.from(bytes.slice(0, 1))).next()).toThrow(RangeError);
    expect(() => new VarintReader(new Uint8Array(0)).next()).toThrow(RangeError);
  });
});
