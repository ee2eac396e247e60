import fc from 'fast-check';
import { expect, it } from 'vitest';
import { addValue, emptySketch, encodeSketch } from '../../core/measures/sketch.ts';
import { mergeSketches } from './mergedSketches.ts';

/** As PostgreSQL joins them. */
function joined(sketches: readonly Uint8Array[]): Buffer {
  return Buffer.concat(
    sketches.flatMap((it) => {
      const length = Buffer.alloc(4);
      length.writeInt32BE(it.length);
      return [length, it];
    }),
  );
}
const sketchOf = (values: readonly number[]) => {
  const sketch = emptySketch();
  for (const value of values) addValue(sketch, value);
  return sketch;
};

it('come to what all their values together come to', () => {
  fc.assert(
    fc.property(fc.array(fc.array(fc.integer({ min: 0, max: 10_000_000 }), { maxLength: 20 }), { maxLength: 12 }), (lists) => {
      const all = emptySketch();
      mergeSketches(all, joined(lists.map((values) => encodeSketch(sketchOf(values)))));
      const expected = sketchOf(lists.flat());
      expect(all.zero).toBe(expected.zero);
      expect([...all.buckets].sort()).toEqual([...expected.buckets].sort());
    }),
  );
});

it('are refused when they end too early', () => {
  const bytes = joined([encodeSketch(sketchOf([1, 2, 300]))]);
  expect(() => mergeSketches(emptySketch(), bytes.subarray(0, -1))).toThrow(RangeError);
});
