import { expect, it } from 'vitest';
import { beginReading, expectReadings, withProgress } from './progress.ts';

it('goes through the readings that were expected one after the other, and never back', async () => {
  const told: number[] = [];
  await withProgress(
    (done, of) => told.push(done / of),
    async () => {
      expectReadings(4);
      for (let reading = 0; reading < 3; reading++) {
        const report = beginReading();
        report(1, 2);
        await Promise.resolve();
        report(2, 2);
      }
    },
  );
  expect(told).toEqual([0.125, 0.25, 0.375, 0.5, 0.625, 0.75]);
});

it('of one that is not counted beforehand is of the whole, and nobody need listen', async () => {
  const told: number[] = [];
  await withProgress(
    (done) => told.push(done),
    async () => beginReading()(3, 4),
  );
  expect(told).toEqual([750]);
  expectReadings(3);
  expect(() => beginReading()(1, 1)).not.toThrow();
  expect(await withProgress(undefined, async () => 7)).toBe(7);
});
