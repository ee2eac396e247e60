import { describe, expect, it } from 'vitest';
import type { Calls } from '../journeys/harm.ts';
import { addValue, emptySketch } from '../measures/sketch.ts';
import { countOver } from './callBlocks.ts';
import { isMore } from './isMore.ts';
import { sumVerdicts } from './sumVerdicts.ts';

/** Calls of so many milliseconds each, some of which failed. */
function calls(durations: readonly number[], failures = 0): Calls {
  const sketch = emptySketch();
  for (const ms of durations) addValue(sketch, ms * 1e6);
  const okNs = durations.slice(failures).reduce((sum, ms) => sum + ms * 1e6, 0);
  return { calls: durations.length, failures, okNs, sketch };
}
const times = (count: number, ms: number) => new Array<number>(count).fill(ms);
const one = (lit: Calls, before: Calls) => sumVerdicts([{ lit, before }])[0];

describe('a verdict on sums', () => {
  it('tells what got worse beyond chance', () => {
    const before = calls([...times(180, 100), ...times(20, 150)]);
    expect(one(calls(times(100, 110)), before)).toEqual({ state: 'calm', basis: 'before' });
    expect(one(calls([...times(80, 100), ...times(20, 900)]), before)).toMatchObject({ state: 'strained', changed: 'p95' });
    expect(one(calls(times(100, 145)), before)).toMatchObject({ state: 'strained', changed: 'p50' });
    expect(one(calls(times(100, 100), 20), before)).toMatchObject({ state: 'failing', changed: 'failures' });
  });

  it('says so when there are too few calls to tell', () => {
    expect(one(calls(times(3, 9000)), calls(times(100, 10))).state).toBe('unknown');
    expect(one(calls([...times(14, 100), 900]), calls(times(100, 100))).state).toBe('calm');
  });

  it('holds an instance that is new against the others', () => {
    const none = calls([]);
    const rows = [calls(times(100, 100), 30), calls(times(100, 100)), calls(times(100, 100))].map((lit) => ({
      lit,
      before: none,
    }));
    expect(sumVerdicts(rows, 'siblings').map(({ state }) => state)).toEqual(['failing', 'calm', 'calm']);
    // Without others there is only what fails by itself.
    expect(sumVerdicts(rows.slice(0, 1), 'siblings')[0]).toMatchObject({ state: 'failing', basis: 'none' });
  });
});

it('calls over a bound are counted', () => {
  expect(countOver(calls([10, 20, 400, 900]).sketch, 100e6)).toBe(2);
});

it('failures are more than before when chance does not explain them', () => {
  expect(isMore(20, 1000, 10, 1000)).toBe(false);
  expect(isMore(40, 1000, 10, 1000)).toBe(true);
  expect(isMore(2, 3, 0, 1000)).toBe(false);
});
