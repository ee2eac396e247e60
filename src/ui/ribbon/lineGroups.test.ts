import { expect, it } from 'vitest';
import { lineGroups, lineWords } from './lineGroups.ts';

/** fatal, error, warn, info, debug, trace, none. */
const series = {
  stepMs: 60_000,
  buckets: [
    { at: 0, counts: [0, 2, 1, 900, 40, 0, 3] },
    { at: 120_000, counts: [1, 0, 0, 1_200, 0, 0, 0] },
  ],
};

it('has errors, warnings and the others, each with its most', () => {
  expect(lineGroups(series)).toEqual([
    {
      name: 'errors',
      values: [
        [0, 2],
        [120_000, 1],
      ],
      most: 2,
    },
    {
      name: 'warnings',
      values: [
        [0, 1],
        [120_000, 0],
      ],
      most: 1,
    },
    {
      name: 'others',
      values: [
        [0, 943],
        [120_000, 1_200],
      ],
      most: 1_200,
    },
  ]);
});

it('says how many there are at a moment, none where nothing was written', () => {
  expect(lineWords(series, 59_999)).toBe('2 errors, 1 warning, 943 others');
  expect(lineWords(series, 60_000)).toBe('0 errors, 0 warnings, 0 others');
});
