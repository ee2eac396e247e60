import { expect, it } from 'vitest';
import { rememberedHour } from './rememberedHours.ts';

const counted = () => {
  let times = 0;
  return { work: async () => ++times, times: () => times };
};

it('is worked out once as long as what it is worked out from is the same', async () => {
  const { work, times } = counted();
  const ask = (version: string) => rememberedHour('calls 1', version, work);
  expect([await ask('100'), await ask('100'), times()]).toEqual([1, 1, 1]);
  expect([await ask('101'), await ask('101')]).toEqual([2, 2]);
  expect(await ask('100')).toBe(3);
});

it('is not remembered when the work failed', async () => {
  const failing = () => Promise.reject(new Error('the store is away'));
  await expect(rememberedHour('calls 2', '1', failing)).rejects.toThrow('away');
  expect(await rememberedHour('calls 2', '1', async () => 'here')).toBe('here');
});

it('is forgotten when many others were asked for since, the one asked for last the last', async () => {
  const early = counted();
  const kept = counted();
  await rememberedHour('early', '1', early.work);
  await rememberedHour('kept', '1', kept.work);
  for (let hour = 0; hour < 1499; hour++) {
    await rememberedHour(`hour ${hour}`, '1', async () => hour);
    await rememberedHour('kept', '1', kept.work);
  }
  await rememberedHour('early', '1', early.work);
  expect([early.times(), kept.times()]).toEqual([2, 1]);
});
