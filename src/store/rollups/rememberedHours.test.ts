import { expect, it } from 'vitest';
import { rememberedHours } from './rememberedHours.ts';

/** Reads hours as twice their number, and notes which stretches it was asked for. */
const reader = () => {
  const asked: string[] = [];
  const read = async (first: number, end: number) => {
    asked.push(`${first}-${end}`);
    return new Map(Array.from({ length: end - first }, (_, at) => [first + at, 2 * (first + at)] as const));
  };
  return { asked, read };
};
const hours = (numbers: readonly number[], version = '1') => numbers.map((hour) => ({ hour, version }));
const none = () => 0;

it('are read once as long as what they are worked out from is the same', async () => {
  const { asked, read } = reader();
  const ask = (version: string) => rememberedHours('calls', hours([1], version), read, none);
  expect([await ask('100'), await ask('100'), asked.length]).toEqual([[2], [2], 1]);
  await ask('101');
  await ask('101');
  expect(asked.length).toBe(2);
  await ask('100');
  expect(asked.length).toBe(3);
});

it('are read together where they follow each other, twelve at most, and only those that are missing', async () => {
  const { asked, read } = reader();
  expect(await rememberedHours('together', hours([5, 6, 7, 9]), read, none)).toEqual([10, 12, 14, 18]);
  expect(asked).toEqual(['5-8', '9-10']);
  expect(await rememberedHours('together', hours([4, 5, 6, 7, 8, 9]), read, none)).toEqual([8, 10, 12, 14, 16, 18]);
  expect(asked.slice(2)).toEqual(['4-5', '8-9']);
  const day = Array.from({ length: 24 }, (_, at) => 100 + at);
  expect(await rememberedHours('together', hours(day), read, none)).toEqual(day.map((hour) => 2 * hour));
  expect(asked.slice(4)).toEqual(['100-112', '112-124']);
});

it('say nothing where nothing was read of them, and that is remembered too', async () => {
  let times = 0;
  const read = async () => {
    times++;
    return new Map<number, number>();
  };
  expect(await rememberedHours('nothing', hours([3]), read, () => -1)).toEqual([-1]);
  expect(await rememberedHours('nothing', hours([3]), read, () => -1)).toEqual([-1]);
  expect(times).toBe(1);
});

it('are not remembered when the reading failed', async () => {
  const failing = () => Promise.reject(new Error('the store is away'));
  await expect(rememberedHours('failing', hours([2]), failing, none)).rejects.toThrow('away');
  expect(await rememberedHours('failing', hours([2]), reader().read, none)).toEqual([4]);
});

it('are forgotten when many others were asked for since, the one asked for last the last', async () => {
  const early = reader();
  const kept = reader();
  await rememberedHours('early', hours([1]), early.read, none);
  await rememberedHours('kept', hours([1]), kept.read, none);
  for (let hour = 0; hour < 1499; hour++) {
    await rememberedHours('others', hours([hour]), reader().read, none);
    await rememberedHours('kept', hours([1]), kept.read, none);
  }
  await rememberedHours('early', hours([1]), early.read, none);
  expect([early.asked.length, kept.asked.length]).toEqual([2, 1]);
});
