import { describe, expect, it } from 'vitest';
import { incidentHeadline, isWithin } from './words.ts';

const at = (from: number, to: number, state: 'open' | 'quiet' | 'closed' = 'closed') => ({ from, to, state });

describe('the headline of incidents', () => {
  it.each<[Parameters<typeof incidentHeadline>[0], { from: number; to: number } | undefined, string]>([
    [undefined, undefined, 'Looking …'],
    [[], { from: 0, to: 9 }, 'Nothing stood out'],
    [[at(1, 2)], undefined, 'Nothing is going on, 1 in the last seven days'],
    [[at(1, 2, 'open'), at(3, 4)], undefined, 'One incident is going on'],
    [[at(1, 2, 'open'), at(3, 4, 'open')], { from: 0, to: 9 }, '2 incidents are going on'],
    // Who looks at an hour in which there was one is not told that there is nothing.
    [[at(10, 20), at(30, 40, 'quiet')], { from: 15, to: 18 }, 'One incident lies in the lit window; nothing is going on now'],
    [[at(10, 20), at(30, 40)], { from: 15, to: 35 }, '2 incidents lie in the lit window; nothing is going on now'],
    [[at(10, 20), at(30, 40)], { from: 22, to: 28 }, 'Nothing is going on, 2 in the last seven days'],
  ])('is about now and about the lit window: %#', (list, past, words) => {
    expect(incidentHeadline(list, past)).toBe(words);
  });
});

it('an incident reaches into a window when any of it lies there; the window’s end is no part of it', () => {
  const window = { from: 10, to: 20 };
  expect([at(0, 10), at(19, 30), at(0, 99), at(12, 13)].every((of) => isWithin(of, window))).toBe(true);
  expect([at(0, 9), at(20, 30)].some((of) => isWithin(of, window))).toBe(false);
});
