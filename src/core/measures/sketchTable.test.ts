import fc from 'fast-check';
import { expect, it } from 'vitest';
import { addValue, emptySketch, encodeSketch, quantiles } from './sketch.ts';
import { SketchTable } from './sketchTable.ts';

const SHARES = [0, 0.1, 0.5, 0.95, 0.99, 1];
const value = fc.oneof(
  fc.integer({ min: 0, max: 100_000_000 }),
  fc.constantFrom(0, -1, 1, Number.MIN_VALUE, Number.MAX_VALUE),
  fc.double({ min: 1e-9, max: 1e15, noNaN: true }),
);

it('has the quantiles of all that was added since it was cleared, as the sketch of it has them', () => {
  const table = new SketchTable();
  fc.assert(
    fc.property(fc.array(fc.array(value, { maxLength: 30 }), { maxLength: 8 }), (lists) => {
      table.clear();
      const all = emptySketch();
      for (const values of lists) {
        const part = emptySketch();
        for (const it of values) {
          addValue(part, it);
          addValue(all, it);
        }
        // Among other bytes, as they come joined.
        const bytes = encodeSketch(part);
        table.add(Buffer.concat([Buffer.from([9, 9]), bytes, Buffer.from([9])]), 2, 2 + bytes.length);
      }
      expect(table.quantiles(SHARES)).toEqual(quantiles(all, SHARES));
    }),
  );
});

it('refuses a sketch that ends in the middle', () => {
  const sketch = emptySketch();
  addValue(sketch, 300);
  const bytes = encodeSketch(sketch);
  expect(() => new SketchTable().add(bytes, 0, bytes.length - 1)).toThrow(RangeError);
});
