import { setImmediate as turn } from 'node:timers/promises';
import { describe, expect, it } from 'vitest';
import { fullWords, type Room, RoomWatch } from './roomLeft.ts';

const GIB = 1024 ** 3;
const roomy: Room = { stored: 5 * GIB, mostStored: 20 * GIB, free: 80 * GIB };

describe('room for what comes in', () => {
  it('is there until the store is over its bound by more than a day that is being dropped', () => {
    expect(fullWords(roomy)).toBe('');
    expect(fullWords({ ...roomy, stored: 21.9 * GIB })).toBe('');
    expect(fullWords({ ...roomy, stored: 22.1 * GIB })).toMatch(/^the store holds .* of the .* it may/);
  });

  it('is gone before the disk is full, where the disk is known', () => {
    expect(fullWords({ ...roomy, free: 0.4 * GIB })).toMatch(/^the disk has .* left/);
    expect(fullWords({ ...roomy, free: null })).toBe('');
  });

  it('is looked at once in a while, and who asks does not wait for it', async () => {
    let looks = 0;
    let room = { ...roomy, free: 1 };
    const watch = new RoomWatch(async () => {
      looks++;
      return room;
    });
    expect(watch.words(0)).toBe('');
    await turn();
    expect(watch.words(1_000)).toContain('the disk has');
    room = { ...roomy, free: 80 * GIB };
    expect(watch.words(19_999)).toContain('the disk has');
    watch.words(20_000);
    await turn();
    expect([watch.words(20_001), looks]).toEqual(['', 2]);
  });

  it('stays what it was known to be when it cannot be looked at', async () => {
    let fails = false;
    const watch = new RoomWatch(async () => {
      if (fails) throw new Error('gone');
      return { ...roomy, free: 1 };
    });
    watch.words(0);
    await turn();
    fails = true;
    watch.words(30_000);
    await turn();
    expect(watch.words(30_001)).toContain('the disk has');
  });
});
