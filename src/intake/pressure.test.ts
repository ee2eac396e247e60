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
    const door = pressure({ heldRequests: 4, heldBytes: 1000 });
    const [first] = ['a', 'a', 'b', 'b'].map((address) => door.enter(address));
    expect(door.enter('c')).toBeUndefined();
    first?.leave();
    // Leaving twice makes no room twice.
    first?.leave();
    expect(door.enter('c')).toBeDefined();
    expect(door.enter('c')).toBeUndefined();
  });

  it('lets in so many bytes', () => {
    const door = pressure({ heldRequests: 100, heldBytes: 1000 });
    const large = door.enter('a')!;
    const small = door.enter('b')!;
    // What has not come takes no room.
    expect(door.held).toMatchObject({ requests: 2, bytes: 0 });
    expect([large.take(500), large.take(250), small.take(251), small.take(250)]).toEqual([true, true, false, true]);
    expect(door.held).toMatchObject({ requests: 2, bytes: 1000 });
    large.leave();
    expect(door.held).toMatchObject({ requests: 1, bytes: 250 });
    expect(large.take(1)).toBe(false);
  });

  it('leaves room for others, however much comes from one address', () => {
    const door = pressure({ heldRequests: 8, heldBytes: 1000 });
    const places = Array.from({ length: 8 }, () => door.enter('a')).filter((it) => it !== undefined);
    expect(places).toHaveLength(6);
    expect([places[0].take(750), places[1].take(1)]).toEqual([true, false]);
    const other = door.enter('b')!;
    expect(other.take(250)).toBe(true);
    for (const place of [...places, other]) place.leave();
    expect(door.held).toMatchObject({ requests: 0, bytes: 0 });
    expect(door.enter('a')?.take(750)).toBe(true);
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
