import { expect, it } from 'vitest';
import { peakOf, spikeAround } from './spike.ts';

const points = [10, 11, 9, 60, 90, 80, 12, 10, null, 95, 9, 11].map((value, at) => [at, value] as const);

it('a spike reaches as far as its values are nearer to its height than to the median', () => {
  expect(spikeAround(points, 4)).toEqual([3, 5]);
  expect(spikeAround(points, 9)).toEqual([9, 9]);
});

it('is one place where there is nothing to reach to', () => {
  expect(spikeAround(points, 8)).toEqual([8, 8]);
  expect(spikeAround([[0, 5]], 0)).toEqual([0, 0]);
  expect(
    spikeAround(
      [5, 5, 5].map((value, at) => [at, value] as const),
      1,
    ),
  ).toEqual([1, 1]);
});

it('a drop is one, too', () => {
  expect(
    spikeAround(
      [20, 21, 2, 3, 19].map((value, at) => [at, value] as const),
      2,
    ),
  ).toEqual([2, 3]);
});

it('the peak is the highest of all', () => {
  expect(peakOf(points)).toBe(9);
  expect(peakOf([[0, null]])).toBeUndefined();
});
