import { describe, expect, it } from 'vitest';
import { coveredMs, throughout } from './steps.ts';

const MINUTE = 60_000;
const STEP = 5 * MINUTE;
const ms = (time: string) => Date.parse(`2026-05-02T${time}Z`);
const window = { from: '2026-05-02T14:02:00Z', to: '2026-05-02T14:13:30Z' };

describe('how much of a step lies in its window', () => {
  it('is all of one within it, and a part of the first and the last', () => {
    expect(coveredMs(ms('14:05:00'), window, STEP)).toBe(STEP);
    expect(coveredMs(ms('14:00:00'), window, STEP)).toBe(3 * MINUTE);
    // Minutes are counted whole: the one that is begun counts.
    expect(coveredMs(ms('14:10:00'), window, STEP)).toBe(4 * MINUTE);
  });

  it('makes of an even stream one rate, partial steps too', () => {
    const calls = [3, 5, 4].map((minutes) => minutes * 60);
    const rates = ['14:00:00', '14:05:00', '14:10:00'].map(
      (time, step) => (calls[step] * 1000) / coveredMs(ms(time), window, STEP),
    );
    expect(rates).toEqual([1, 1, 1]);
  });

  it('is never less than a minute', () => {
    expect(coveredMs(ms('14:00:00'), { from: '2026-05-02T14:04:50Z', to: '2026-05-02T14:04:55Z' }, STEP)).toBe(MINUTE);
    expect(coveredMs(ms('15:00:00'), window, STEP)).toBe(MINUTE);
  });
});

describe('the points of a window', () => {
  const point = (time: string, calls: number) => ({ at: ms(time), calls, failures: 0, p50Ns: 1, p95Ns: 2, p99Ns: 3 });

  it('are one for each step, and none of those in which nothing came is left out', () => {
    const all = throughout([point('14:05:00', 7)], window, STEP);
    expect(all.map(({ at, calls }) => [at, calls])).toEqual([
      [ms('14:00:00'), 0],
      [ms('14:05:00'), 7],
      [ms('14:10:00'), 0],
    ]);
    expect(all[0].p95Ns).toBeNull();
  });

  it('are none where nothing is known', () => {
    expect(throughout([], window, STEP)).toEqual([]);
  });
});
