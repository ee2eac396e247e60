import { afterEach, expect, it, vi } from 'vitest';
import { Breathing } from './breathing.ts';

afterEach(() => {
  vi.restoreAllMocks();
});

it('lets others have their turn when it has had its own, and not before', async () => {
  let now = 1_000;
  vi.spyOn(performance, 'now').mockImplementation(() => now);
  const breathing = new Breathing();
  let others = 0;
  const count = () => {
    others++;
  };
  setImmediate(count);
  now += 39;
  await breathing.breathe();
  expect(others).toBe(0);
  now += 1;
  await breathing.breathe();
  expect(others).toBe(1);
  // Its next turn begins after theirs.
  setImmediate(count);
  now += 39;
  await breathing.breathe();
  expect(others).toBe(1);
  now += 1;
  await breathing.breathe();
  expect(others).toBe(2);
});
