import { expect, it } from 'vitest';
import { FairQueue } from './fairQueue.ts';

const all = (queue: FairQueue<string>) => Array.from({ length: queue.size }, () => queue.pop());

it('gives each owner a turn, and each owner their own order', () => {
  const queue = new FairQueue<string>();
  for (const task of ['a1', 'a2', 'a3', 'b1', 'c1', 'c2']) queue.push({ task, owner: task[0] });
  expect([queue.size, queue.sizeOf('a'), queue.sizeOf('d')]).toEqual([6, 3, 0]);
  expect(all(queue)).toEqual(['a1', 'b1', 'c1', 'a2', 'c2', 'a3']);
  expect([queue.size, queue.pop()]).toEqual([0, undefined]);
});

it('one who comes later waits for no more than one task of each other', () => {
  const queue = new FairQueue<string>();
  for (let at = 0; at < 100; at++) queue.push({ task: `a${at}`, owner: 'a' });
  queue.pop();
  queue.push({ task: 'b', owner: 'b' });
  expect([queue.pop(), queue.pop()]).toEqual(['a1', 'b']);
});

it('leaves what nobody waits for to the end', () => {
  const queue = new FairQueue<string>();
  queue.pushBackground('later');
  queue.push({ task: 'page', owner: 'a' });
  expect(queue.has('later') && queue.has('page')).toBe(true);
  expect(all(queue)).toEqual(['page', 'later']);
  queue.pushBackground('x');
  queue.clear();
  expect([queue.size, queue.pop(), queue.has('x')]).toEqual([0, undefined, false]);
});
