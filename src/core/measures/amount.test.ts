import { expect, it } from 'vitest';
import { countWords, formatAgo, formatBytes, formatCount } from './amount.ts';

it('writes counts, sizes and times as they read best', () => {
  expect([formatCount(7), formatCount(109_515)]).toEqual(['7', '109\u202f515']);
  expect([0, 999, 1000, 41_300_000, 999_600, 2.5e12, 5e15].map(formatBytes)).toEqual([
    '0 B',
    '999 B',
    '1.00 kB',
    '41.3 MB',
    '1.00 MB',
    '2.50 TB',
    '5000 TB',
  ]);
  expect([-5, 2_400, 300_000, 7_200_000, 3 * 86_400_000].map(formatAgo)).toEqual([
    '0 s ago',
    '2 s ago',
    '5 min ago',
    '2 h ago',
    '3 days ago',
  ]);
});

it.each([
  [0, '0 incidents'],
  [1, '1 incident'],
  [2069, '2\u202f069 incidents'],
])('says how many there are of something: %i', (count, words) => {
  expect(countWords(count, 'incident')).toBe(words);
});
