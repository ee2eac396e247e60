import { median } from 'd3-array';
import { expect, it } from 'vitest';
import { randomFrom } from '../../../tests/support/made/random.ts';
import { medianOf } from './medianOf.ts';

it('is the middle, or the mean of the two in the middle', () => {
  expect(medianOf(Float64Array.of(3))).toBe(3);
  expect(medianOf(Float64Array.of(9, 1, 4))).toBe(4);
  expect(medianOf(Float64Array.of(8, 1, 4, 2))).toBe(3);
  expect(medianOf(new Float64Array())).toBeNaN();
});

it('is what another computation gives, whatever the numbers', () => {
  const { below } = randomFrom(20_261_201);
  for (let times = 0; times < 500; times++) {
    const values = Array.from({ length: 1 + below(150) }, () => below(40) / 7 - 2);
    expect(medianOf(Float64Array.from(values))).toBe(median(values));
  }
});
