import { expect, it } from 'vitest';
import type { Answered } from './answered.ts';
import { remembered } from './rememberedAnswers.ts';

const MINUTE = 60_000;
const whole = (json: string): Answered => ({ json, status: 200, leftOut: { unread: 0, building: 0 } });

it('computes an answer once for all who ask at the same time, and again after a failure', async () => {
  let times = 0;
  const work = async () => {
    times++;
    if (times === 1) throw new Error('not now');
    return whole(String(times));
  };
  await expect(remembered('a', MINUTE, work)).rejects.toThrow('not now');
  const both = await Promise.all([remembered('a', MINUTE, work), remembered('a', MINUTE, work)]);
  expect(both.map(({ json }) => json)).toEqual(['2', '2']);
  expect((await remembered('a', MINUTE, work)).json).toBe('2');
});

it('does not remember what had to leave something out', async () => {
  let building = 3;
  const work = async (): Promise<Answered> => ({ ...whole(String(building)), leftOut: { unread: 0, building } });
  const [one, other] = await Promise.all([remembered('b', MINUTE, work), remembered('b', MINUTE, work)]);
  expect([one.leftOut.building, other.leftOut.building]).toEqual([3, 3]);
  building = 0;
  expect((await remembered('b', MINUTE, work)).json).toBe('0');
});

it('gives the work up when the last who waits has left, not when the first has', async () => {
  const stopped: AbortSignal[] = [];
  const work = (signal: AbortSignal) => {
    signal.addEventListener('abort', () => stopped.push(signal));
    return new Promise<Answered>(() => {});
  };
  const [first, second] = [new AbortController(), new AbortController()];
  const waits = [first, second].map(({ signal }) => remembered('c', MINUTE, work, signal));
  first.abort();
  await expect(waits[0]).rejects.toThrow('nobody waits');
  expect(stopped).toHaveLength(0);
  second.abort();
  await expect(waits[1]).rejects.toThrow('nobody waits');
  expect(stopped).toHaveLength(1);
  // The next who asks is not given what was stopped.
  expect((await remembered('c', MINUTE, async () => whole('new'))).json).toBe('new');
});

it('keeps no more than its bytes', async () => {
  const large = 'x'.repeat(12 * 2 ** 20);
  let times = 0;
  const work = async () => {
    times++;
    return whole(large);
  };
  for (const key of ['d1', 'd2', 'd3']) await remembered(key, MINUTE, work);
  await remembered('d3', MINUTE, work);
  expect(times).toBe(3);
  await remembered('d1', MINUTE, work);
  expect(times).toBe(4);
});
