import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  addValue,
  bucketOf,
  CODES,
  codeOf,
  countOf,
  emptySketch,
  encodeCodes,
  encodeSketch,
  mergeEncoded,
  mergeInto,
  quantiles,
  type Sketch,
} from './sketch.ts';
import { VarintWriter } from './varint.ts';

const sketchOf = (values: readonly number[]): Sketch => {
  const sketch = emptySketch();
  for (const value of values) addValue(sketch, value);
  return sketch;
};
const decoded = (bytes: Uint8Array): Sketch => {
  const sketch = emptySketch();
  mergeEncoded(sketch, bytes);
  return sketch;
};
const positive = fc.double({ min: 1e-6, max: 1e16, noNaN: true });

describe('a sketch', () => {
  it('puts powers of two at the upper end of their buckets, as the standard says', () => {
    expect([bucketOf(1), bucketOf(1.0001), bucketOf(2), bucketOf(2.01), bucketOf(0.5)]).toEqual([-1, 0, 15, 16, -17]);
  });

  it('gives quantiles within 2.2 % of those of the values themselves', () => {
    fc.assert(
      fc.property(fc.array(positive, { minLength: 1, maxLength: 300 }), (values) => {
        const sorted = [...values].sort((a, b) => a - b);
        const shares = [0, 0.5, 0.95, 0.99, 1];
        quantiles(sketchOf(values), shares).forEach((found, at) => {
          const exact = sorted[Math.max(1, Math.ceil(shares[at] * sorted.length)) - 1];
          expect(Math.abs(found! / exact - 1)).toBeLessThan(0.022);
        });
      }),
    );
  });

  it('is, merged of parts, the sketch of the whole', () => {
    fc.assert(
      fc.property(fc.array(positive), fc.array(positive), (some, others) => {
        const merged = sketchOf(some);
        mergeInto(merged, sketchOf(others));
        expect(merged).toEqual(sketchOf([...some, ...others]));
      }),
    );
  });

  it('comes back from its bytes, and adds to what is there', () => {
    fc.assert(
      fc.property(fc.array(fc.oneof(positive, fc.constant(0)), { maxLength: 200 }), (values) => {
        const sketch = sketchOf(values);
        const bytes = encodeSketch(sketch);
        expect(decoded(bytes)).toEqual(sketch);
        mergeEncoded(sketch, bytes);
        expect(sketch).toEqual(sketchOf([...values, ...values]));
      }),
    );
  });

  it('is the same from codes in ascending order, also among those of others', () => {
    const value = fc.oneof(positive, fc.constantFrom(0, -1, 1, Number.MIN_VALUE, Number.MAX_VALUE, 1e9));
    fc.assert(
      fc.property(fc.array(value), fc.array(value), (values, others) => {
        const mine = values.map((it) => 3 * CODES + codeOf(it));
        const codes = Float64Array.from([...others.map((it) => 2 * CODES + codeOf(it)), ...mine]).sort();
        const bytes = new VarintWriter();
        bytes.byte(7);
        encodeCodes(codes, others.length, codes.length, 3 * CODES, bytes);
        expect(bytes.written()).toEqual(encodeSketch(sketchOf(values)));
      }),
    );
  });

  it('counts what is not above zero apart', () => {
    const sketch = sketchOf([0, -5, 3]);
    expect([sketch.zero, countOf(sketch), quantiles(sketch, [0.5, 1])[0]]).toEqual([2, 3, 0]);
    expect(quantiles(emptySketch(), [0.5])).toEqual([null]);
  });

  it('does not take bytes that end too early', () => {
    expect(() => decoded(Uint8Array.from([0, 130]))).toThrow(RangeError);
  });
});
