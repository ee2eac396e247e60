import { expect, it } from 'vitest';
import { OthersLoad } from './othersLoad.ts';

it('comes to the share of the machine that others use', () => {
  const load = new OthersLoad(2);
  load.note(0, 0);
  // One and a half of two processors.
  for (let second = 1; second <= 30; second++) load.note(second * 1000, second * 1500);
  expect(load.share).toBeCloseTo(0.75, 3);
});

it('leaves out what its owner did', () => {
  const load = new OthersLoad(2);
  load.note(0, 0);
  for (let second = 1; second <= 30; second++) {
    load.leaveOut(1000);
    load.note(second * 1000, second * 1500);
  }
  expect(load.share).toBeCloseTo(0.25, 3);
});

it('follows within seconds, and not within one short note', () => {
  const load = new OthersLoad(1);
  load.note(0, 0);
  load.note(300, 300);
  expect(load.share).toBeLessThan(0.2);
  load.note(10_000, 10_000);
  expect(load.share).toBeGreaterThan(0.9);
});
