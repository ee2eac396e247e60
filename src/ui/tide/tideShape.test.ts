import { describe, expect, it } from 'vitest';
import { WAIT_CLASSES } from '../../core/database/waitClasses.ts';
import { tideShape } from './tideShape.ts';

const load = (of: Partial<Record<(typeof WAIT_CLASSES)[number], number>>) => WAIT_CLASSES.map((it) => of[it] ?? 0);
const tide = (loads: number[][], samples = loads.map(() => 10)) => ({ from: 0, stepMs: 1000, samples, loads });

describe('the tide of a server', () => {
  it('has work above the waterline, one on the other, and waiting below it', () => {
    const { layers } = tideShape(tide([load({ CPU: 2, IO: 1, Lock: 5, Client: 1 })]), 4);
    expect(layers.map(({ waitClass, bars }) => [waitClass, bars[0].low, bars[0].high])).toEqual([
      ['CPU', 0, 2],
      ['IO', 2, 3],
      ['Lock', -5, -0],
      ['Client', -6, -5],
    ]);
  });

  it('shows the line of the cores when the load comes near it, and not above an idle server', () => {
    expect(tideShape(tide([load({ CPU: 2 })]), 4)).toMatchObject({ hasCores: true, top: 4.6 });
    expect(tideShape(tide([load({ CPU: 0.1 })]), 4).hasCores).toBe(false);
  });

  it('keeps a place on both sides of the waterline', () => {
    const { top, bottom } = tideShape(tide([load({ Lock: 20 })]), 0);
    expect(bottom).toBeCloseTo(23);
    expect(top).toBeCloseTo(2.4);
  });

  it('has gaps where the sampler was away: no load is another thing than none known', () => {
    const { gaps, layers } = tideShape(tide([load({ CPU: 1 }), [], [], load({})], [9, 0, 0, 9]), 4);
    expect(gaps).toEqual([{ from: 1, to: 3 }]);
    expect(layers).toHaveLength(1);
  });
});
