import { expect, it } from 'vitest';
import { addValue, emptySketch, encodeSketch, type Sketch } from '../../../core/measures/sketch.ts';
import { type MinuteRow, PackedMinute } from './packedMinute.ts';

const sketchOf = (...values: readonly number[]): Sketch => {
  const sketch = emptySketch();
  for (const value of values) addValue(sketch, value);
  return sketch;
};
/** Each with its length before it, as the database joins them. */
const joined = (...sketches: readonly Sketch[]) =>
  Buffer.concat(
    sketches.flatMap((it) => {
      const bytes = encodeSketch(it);
      const length = Buffer.alloc(4);
      length.writeUInt32BE(bytes.length);
      return [length, bytes];
    }),
  );

const ROWS: readonly MinuteRow[] = [
  { keyId: 9, entry: false, calls: 3, failures: 1, sketches: joined(sketchOf(1e6, 2e6), sketchOf(5e6)) },
  { keyId: 4, entry: true, calls: 2, failures: 0, sketches: joined(sketchOf(1e6, 0)) },
  { keyId: 9, entry: true, calls: 1, failures: 1, sketches: joined(sketchOf(8e6)) },
];

it('gives the calls of an operation, requests and others together', () => {
  const minute = new PackedMinute(ROWS);
  const { calls, failures, sketch } = minute.of([9])!;
  expect({ calls, failures }).toEqual({ calls: 4, failures: 2 });
  expect(sketch).toEqual(sketchOf(1e6, 2e6, 5e6, 8e6));
  expect(minute.of([4])!.sketch).toEqual(sketchOf(1e6, 0));
});

it('gives the requests alone, and those of several operations together', () => {
  const minute = new PackedMinute(ROWS);
  expect(minute.entriesOf([9])).toMatchObject({ calls: 1, failures: 1, sketch: sketchOf(8e6) });
  expect(minute.entriesOf([9, 4])).toMatchObject({ calls: 3, failures: 1, sketch: sketchOf(8e6, 1e6, 0) });
});

it('has nothing of operations that were not called', () => {
  const minute = new PackedMinute(ROWS);
  expect([minute.of([1]), minute.of([5]), minute.of([10]), minute.of([]), minute.entriesOf([7])]).toEqual([
    null,
    null,
    null,
    null,
    null,
  ]);
  expect(new PackedMinute([]).of([9])).toBeNull();
});
