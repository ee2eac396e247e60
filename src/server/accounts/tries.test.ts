import { describe, expect, it } from 'vitest';
import { Tries } from './tries.ts';

const RULE = { window: 60, max: 2 };

describe('tries', () => {
  it('are allowed so often in a window, and again in the next', () => {
    const tries = new Tries();
    expect([0, 1, 2_000, 59_000].map((ms) => tries.take('ines', RULE, ms))).toEqual([0, 0, 58, 1]);
    expect(tries.take('other', RULE, 2_000)).toBe(0);
    expect(tries.take('ines', RULE, 60_000)).toBe(0);
  });

  it('are forgotten of one who succeeded', () => {
    const tries = new Tries();
    tries.take('ines', RULE, 0);
    tries.take('ines', RULE, 0);
    tries.forget('ines');
    expect(tries.take('ines', RULE, 0)).toBe(0);
  });

  it('are remembered of a bounded number of names, however many a stranger makes up', () => {
    const tries = new Tries();
    for (let n = 0; n < 30_000; n++) tries.take(`name ${n}`, RULE, 0);
    expect(tries.take('name 29999', { window: 60, max: 1 }, 0)).toBe(60);
    expect(tries.take('name 0', { window: 60, max: 1 }, 0)).toBe(0);
  });
});
