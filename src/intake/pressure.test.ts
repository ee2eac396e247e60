import { describe, expect, it } from 'vitest';
import { Pressure } from './pressure.ts';
import { intakeSettings } from './settings.ts';

const pressure = (limits: object) => new Pressure({ ...intakeSettings({}), ...limits });
const PROTOBUF = 'application/x-protobuf';

/** Work that goes on until it is told to end. */
function work() {
  let end = () => {};
  const done = new Promise<void>((resolve) => {
    end = resolve;
  });
  return { begun: false, end: () => end(), done };
}

const settled = () => new Promise((resolve) => setImmediate(resolve));

describe('the door', () => {
  it('lets in so many requests, and more when one has left', () => {
    const door = pressure({ heldRequests: 2, heldBytes: 1000 });
    const first = door.enter(10);
    expect(door.enter(10)).toBeDefined();
    expect(door.enter(10)).toBeUndefined();
    first?.leave();
    // Leaving twice makes no room twice.
    first?.leave();
    expect(door.enter(10)).toBeDefined();
    expect(door.enter(10)).toBeUndefined();
  });

  it('lets in so many bytes', () => {
    const door = pressure({ heldRequests: 100, heldBytes: 1000 });
    const large = door.enter(900);
    expect(door.enter(101)).toBeUndefined();
    expect(door.enter(100)).toBeDefined();
    expect(door.held).toMatchObject({ requests: 2, bytes: 1000 });
    large?.leave();
    expect(door.held).toMatchObject({ requests: 1, bytes: 100 });
  });
});

describe('work', () => {
  it('waits for room, and is done in the order in which it came', async () => {
    const door = pressure({ workBytes: 400 });
    const order: string[] = [];
    const jobs = ['a', 'b', 'c'].map((name) => ({ name, ...work() }));
    const all = jobs.map(({ name, done }) =>
      door.work(100, PROTOBUF, async () => {
        order.push(name);
        await done;
      }),
    );
    await settled();
    expect([order, door.held.waiting]).toEqual([['a'], 2]);
    jobs[0].end();
    await settled();
    expect(order).toEqual(['a', 'b']);
    jobs[1].end();
    jobs[2].end();
    await Promise.all(all);
    expect([order, door.held.waiting, door.held.workBytes]).toEqual([['a', 'b', 'c'], 0, 0]);
  });

  it('on JSON takes more room than on protobuf of the same size', async () => {
    const taken = async (encoding: 'application/json' | 'application/x-protobuf') => {
      const door = pressure({ workBytes: 1_000_000 });
      return door.work(100, encoding, async () => door.held.workBytes);
    };
    expect(await taken('application/json')).toBeGreaterThan(await taken(PROTOBUF));
  });

  it('that is over the limit by itself is done alone rather than never', async () => {
    const door = pressure({ workBytes: 400 });
    expect(await door.work(1_000_000, PROTOBUF, async () => 'done')).toBe('done');
  });

  it('that fails gives its room back', async () => {
    const door = pressure({ workBytes: 400 });
    await expect(door.work(100, PROTOBUF, () => Promise.reject(new Error('broken')))).rejects.toThrow('broken');
    expect(door.held.workBytes).toBe(0);
  });
});
