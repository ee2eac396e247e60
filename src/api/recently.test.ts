import { expect, it } from 'vitest';
import { noteLeftOut, withLeftOut } from '../store/scope/leftOut.ts';
import { recently } from './recently.ts';

const MINUTE = 60_000;

it('computes an answer once for all who ask at the same time, and again after a failure', async () => {
  let times = 0;
  const work = async () => {
    times++;
    if (times === 1) throw new Error('not now');
    return times;
  };
  await expect(recently('a', MINUTE, work)).rejects.toThrow('not now');
  expect(await Promise.all([recently('a', MINUTE, work), recently('a', MINUTE, work)])).toEqual([2, 2]);
  expect(await recently('a', MINUTE, work)).toBe(2);
});

it('does not remember what had to leave something out, and says so to everybody who asked', async () => {
  let building = 3;
  const work = async () => {
    noteLeftOut({ unread: 0, building });
    return building;
  };
  const ask = () => withLeftOut(() => recently('b', MINUTE, work));
  const [one, other] = await Promise.all([ask(), ask()]);
  expect([one.leftOut.building, other.leftOut.building]).toEqual([3, 3]);
  building = 0;
  expect(await ask()).toEqual({ result: 0, leftOut: { unread: 0, building: 0 } });
});
