import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { addValue, emptySketch, quantiles } from '../../core/measures/sketch.ts';
import type { Verdict } from '../../core/verdict/verdict.ts';
import { byHarm, judge, together } from './groups.ts';

const SECOND = 1e9;
const callsOf = (durationsNs: readonly number[], failures = 0) => {
  const sketch = emptySketch();
  for (const ns of durationsNs) addValue(sketch, ns);
  return {
    calls: durationsNs.length + failures,
    failures,
    okNs: durationsNs.reduce((sum, ns) => sum + ns, 0),
    failedNs: 0,
    sketch,
  };
};
const judged = (state: Verdict['state'], lit: number[], before: number[], failures = 0) =>
  judge(callsOf(lit, failures), callsOf(before), { state, basis: 'before' } as Verdict);

describe('operations together', () => {
  it('have the calls of all of them, each once, and of those that are not known none', () => {
    fc.assert(
      fc.property(fc.array(fc.array(fc.integer({ min: 1_000, max: 1e10 }), { maxLength: 20 }), { maxLength: 6 }), (all) => {
        const figures = new Map(all.map((durations, id) => [id, callsOf(durations, id)]));
        const sum = together([...figures.keys(), 77], figures);
        const durations = all.flat();
        expect([sum.calls, sum.failures, sum.okNs]).toEqual([
          durations.length + all.reduce((total, _, id) => total + id, 0),
          all.reduce((total, _, id) => total + id, 0),
          durations.reduce((total, ns) => total + ns, 0),
        ]);
        const whole = callsOf(durations);
        expect(quantiles(sum.sketch, [0.5, 0.95])).toEqual(quantiles(whole.sketch, [0.5, 0.95]));
      }),
    );
    expect(together([], new Map())).toMatchObject({ calls: 0, failures: 0, okNs: 0 });
  });
});

describe('rows', () => {
  const row = fc
    .tuple(
      fc.constantFrom<Verdict['state']>('failing', 'strained', 'perhaps', 'calm', 'unknown'),
      fc.array(fc.integer({ min: 1_000, max: 1e10 }), { minLength: 1, maxLength: 10 }),
      fc.array(fc.integer({ min: 1_000, max: 1e10 }), { minLength: 1, maxLength: 10 }),
      fc.integer({ min: 0, max: 5 }),
    )
    .map(([state, lit, before, failures]) => judged(state, lit, before, failures));

  it('stand worst first: worse before what may be, that before what is not', () => {
    const rank = { failing: 2, strained: 2, perhaps: 1, calm: 0, unknown: 0 } as Record<string, number>;
    fc.assert(
      fc.property(fc.array(row, { minLength: 2, maxLength: 12 }), (rows) => {
        const sorted = [...rows].sort(byHarm);
        for (const [at, it] of sorted.slice(1).entries()) {
          const above = sorted[at];
          const [high, low] = [rank[above.verdict.state], rank[it.verdict.state]];
          expect(high).toBeGreaterThanOrEqual(low);
          if (high === low && high > 0) expect(above.harm.totalNs).toBeGreaterThanOrEqual(it.harm.totalNs);
          if (high === low && high === 0) expect(above.lit.calls).toBeGreaterThanOrEqual(it.lit.calls);
        }
      }),
    );
  });

  it('of much harm stand before those of little, though these are failing and those only slow', () => {
    const slow = judged('strained', Array(50).fill(3 * SECOND), Array(50).fill(0.1 * SECOND));
    const failing = judged('failing', Array(50).fill(0.1 * SECOND), Array(50).fill(0.1 * SECOND), 1);
    expect([failing, slow].sort(byHarm)).toEqual([slow, failing]);
  });

  it('without a verdict are ordered by their number', () => {
    const [few, many] = [judge(callsOf([1_000]), callsOf([])), judge(callsOf([1_000, 1_000]), callsOf([]))];
    expect(few.verdict).toEqual({ state: 'unknown', basis: 'none' });
    expect([few, many].sort(byHarm)).toEqual([many, few]);
  });
});
