import { describe, expect, it } from 'vitest';
import type { Attempt } from './attempt.ts';
import { type Course, courseOf } from './course.ts';
import { farBehind, isDecided, plainlySlower } from './longRuns.ts';

/** A way with its first run and those after it, in milliseconds. */
function way(words: string, first: number, runs: readonly number[] = [], are: 'equal' | 'unknown' = 'equal'): Course {
  const attempt = { kinds: [], words, indexes: [], statistics: [], settings: [], plan: '{}' } as unknown as Attempt;
  const it = courseOf(attempt, 1);
  const rows = are === 'equal' ? ({ are, count: 3 } as const) : ({ are, words: '' } as const);
  it.tried = { ...it.tried, first: { ms: first, isCold: false }, runs, rows };
  return it;
}
const names = (courses: readonly Course[]) => courses.map(({ attempt }) => attempt.words);
const around = (ms: number, count: number) => Array.from({ length: count }, (_, at) => ms + at);

describe('a statement that takes long', () => {
  it('leaves out what takes more than half of its time, once a way with its rows takes a fifth or less', () => {
    const original = way('as it is', 40_000);
    const others = [way('index', 90), way('text', 30_000), way('setting', 15_000)];
    expect(names(farBehind(original, others))).toEqual(['text']);
    // Nothing that is proved is far ahead: all may matter.
    expect(farBehind(original, others.slice(1))).toEqual([]);
    expect(farBehind(original, [way('index', 90, [], 'unknown'), ...others.slice(1)])).toEqual([]);
    // What is out already proves nothing.
    others[0].isOut = true;
    expect(farBehind(original, others)).toEqual([]);
  });

  it('is run no more when each way that is left is faster beyond the noise, and plainly', () => {
    const decided = (count: number, ...ms: number[]) =>
      isDecided(
        around(40_000, count),
        ms.map((it) => way('another', it, around(it, count))),
      );
    // Six runs against six, all below: one chance in 924; in five one in 252, which three ways at once spoil.
    expect(decided(6, 90, 100, 110)).toBe(true);
    expect(decided(5, 90, 100, 110)).toBe(false);
    expect(decided(5, 90)).toBe(true);
    // Faster, not plainly: it takes all runs.
    expect(decided(6, 90, 30_000)).toBe(false);
    // No other way is left: twice is enough to say how long it takes.
    expect(decided(2)).toBe(true);
    expect(decided(1)).toBe(false);
  });

  it('that does not end is run again for as long as tells it apart from the others', () => {
    expect(plainlySlower([way('index', 90, [80, 2_000]), way('text', 1_500)], 60_000)).toBe(20_000);
    expect(plainlySlower([way('index', 90, [80])], 60_000)).toBe(5_000);
    expect(plainlySlower([way('index', 9_000, [8_000])], 60_000)).toBe(60_000);
    const out = way('text', 50_000);
    out.isOut = true;
    expect(plainlySlower([out], 60_000)).toBe(5_000);
  });
});
