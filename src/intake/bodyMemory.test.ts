import { randomBytes } from 'node:crypto';
import { expect, it } from 'vitest';
import { BodyMemory } from './bodyMemory.ts';

it('is that of a body which was given back, and of none that was not', () => {
  const memory = new BodyMemory();
  const [first, second] = [memory.take([randomBytes(100)]), memory.take([randomBytes(100)])];
  expect(second.buffer).not.toBe(first.buffer);
  memory.give(first);
  const third = memory.take([Buffer.from('ahoy '), Buffer.from('there')]);
  expect([third.buffer === first.buffer, third.toString()]).toEqual([true, 'ahoy there']);
  expect(memory.take([]).buffer).not.toBe(second.buffer);
});

it('is made for a body that is larger than most, and not kept', () => {
  const memory = new BodyMemory();
  const bytes = randomBytes(600_000);
  const large = memory.take([bytes.subarray(0, 7), bytes.subarray(7)]);
  expect(large.equals(bytes)).toBe(true);
  memory.give(large);
  expect(memory.take([randomBytes(10)]).buffer).not.toBe(large.buffer);
});
