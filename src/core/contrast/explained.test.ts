import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { attributableShare, differenceOf, explainedOf, minus, type Totals } from './explained.ts';

const side = fc.record({ n: fc.integer({ min: 1, max: 500 }), mean: fc.double({ min: 0, max: 10, noNaN: true }) });
const totals = fc
  .record({ inA: side, inB: side, outA: side, outB: side })
  .map(({ inA, inB, outA, outB }): { all: Totals; set: Totals } => ({
    set: { nA: inA.n, nB: inB.n, sumA: inA.n * inA.mean, sumB: inB.n * inB.mean },
    all: {
      nA: inA.n + outA.n,
      nB: inB.n + outB.n,
      sumA: inA.n * inA.mean + outA.n * outA.mean,
      sumB: inB.n * inB.mean + outB.n * outB.mean,
    },
  }));

describe('what a set explains', () => {
  it('is the difference less that of the rest, split into behaviour and mix exactly', () => {
    fc.assert(
      fc.property(totals, ({ all, set }) => {
        const { whole, behaviour, mix } = explainedOf(all, set);
        expect(whole).toBeCloseTo(differenceOf(all) - differenceOf(minus(all, set)), 9);
        expect(behaviour + mix).toBeCloseTo(whole, 9);
      }),
    );
  });

  it('is nothing for requests that behave like the rest, whatever their share', () => {
    const set = { nA: 90, nB: 10, sumA: 90 * 3, sumB: 10 * 2 };
    const all = { nA: 100, nB: 100, sumA: 100 * 3, sumB: 100 * 2 };
    expect(explainedOf(all, set)).toEqual({ whole: 0, behaviour: 0, mix: 0 });
  });

  it('of more of what always was slow is all mix; of what got slower all behaviour', () => {
    const more = explainedOf({ nA: 100, nB: 100, sumA: 50 * 9 + 50, sumB: 10 * 9 + 90 }, { nA: 50, nB: 10, sumA: 450, sumB: 90 });
    expect(more.behaviour).toBeCloseTo(0, 12);
    expect(more.mix).toBeCloseTo(0.4 * 8, 12);
    const slower = explainedOf({ nA: 100, nB: 100, sumA: 20 * 9 + 80, sumB: 100 }, { nA: 20, nB: 20, sumA: 180, sumB: 20 });
    expect(slower.mix).toBeCloseTo(0, 12);
    expect(slower.behaviour).toBeCloseTo(0.2 * 8, 12);
  });

  it('is nothing for what is all of A: a finished roll-out cannot be told from the window', () => {
    const all = { nA: 100, nB: 100, sumA: 500, sumB: 100 };
    expect(explainedOf(all, { nA: 100, nB: 0, sumA: 500, sumB: 0 }).whole).toBe(0);
  });

  it('of A chosen by its outcome is the share that would not be in it', () => {
    // 30 of 40 with the set are slow, 10 of 160 without it.
    const all = { nA: 40, nB: 160, sumA: 0, sumB: 0 };
    expect(attributableShare(all, { nA: 30, nB: 10, sumA: 0, sumB: 0 })).toBeCloseTo(1 - 10 / 160 / (40 / 200), 12);
  });
});
