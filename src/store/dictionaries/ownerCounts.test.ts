import { expect, it } from 'vitest';
import { OTHER, OwnerCounts } from './ownerCounts.ts';

it('lets an owner have so many rows, and then none', async () => {
  const counts = new OwnerCounts(3, 10, async () => new Map([['holds', 1]]));
  await counts.refresh();
  expect(['holds', 'holds', 'holds', 'fares', 'holds'].map((owner) => counts.admit(owner))).toEqual([
    undefined,
    undefined,
    'holds',
    undefined,
    'holds',
  ]);
});

it('lets there be so many owners, and then one for all others', async () => {
  const counts = new OwnerCounts(3, 2, async () => new Map([['holds', 1]]));
  await counts.refresh();
  expect(['fares', 'quay', 'quay', 'fares', 'holds'].map((owner) => counts.admit(owner))).toEqual([
    undefined,
    OTHER,
    OTHER,
    undefined,
    undefined,
  ]);
});

it('hears of what others added, and of what is gone, within a minute', async () => {
  let stored = 3;
  const counts = new OwnerCounts(3, 10, async () => new Map([['holds', stored]]));
  await counts.refresh(0);
  stored = 1;
  await counts.refresh(59_000);
  expect(counts.admit('holds')).toBe('holds');
  await counts.refresh(60_000);
  expect(counts.admit('holds')).toBeUndefined();
});
