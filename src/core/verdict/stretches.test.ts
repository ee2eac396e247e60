import { describe, expect, it } from 'vitest';
import { sumsOf, widened } from './stretches.ts';

describe('running sums', () => {
  it('give the sum of any stretch', () => {
    const counts = [3, 0, 5, 2, 7];
    const sums = sumsOf(counts);
    for (let a = 0; a < counts.length; a++)
      for (let b = a; b < counts.length; b++)
        expect(sums[b + 1] - sums[a]).toBe(counts.slice(a, b + 1).reduce((sum, it) => sum + it, 0));
    expect(sumsOf([])).toEqual([0]);
  });
});

describe('a stretch that is bad', () => {
  const calls = (marked: readonly number[]) => marked.map(() => 10);
  const wide = (marked: readonly number[], first: number, last: number, all = calls(marked)) =>
    widened(all, marked, [first, last], 0.5);

  it('takes in what is next to it and as bad, over two blocks that are not', () => {
    expect(wide([0, 6, 0, 0, 9, 9, 0, 7, 0, 0], 4, 5)).toEqual([1, 7]);
    expect(wide([6, 0, 0, 0, 9, 9, 0, 0, 0, 7], 4, 5)).toEqual([4, 5]);
    // From one to the next, as far as it goes.
    expect(wide([5, 0, 5, 0, 0, 9, 0, 0, 5, 5], 5, 5)).toEqual([0, 9]);
  });

  it('leaves out what is not bad at its own ends, and is never empty', () => {
    expect(wide([0, 0, 9, 0, 0], 0, 4)).toEqual([2, 2]);
    expect(wide([0, 0, 0], 1, 2)).toEqual([2, 2]);
  });

  it('knows nothing bad of blocks without calls', () => {
    expect(wide([0, 0, 9, 0, 0], 2, 2, [0, 0, 10, 0, 0])).toEqual([2, 2]);
    expect(wide([5, 0, 9], 2, 2, [10, 0, 10])).toEqual([0, 2]);
  });
});
