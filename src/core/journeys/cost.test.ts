import { describe, expect, it } from 'vitest';
import { type Attempts, costOf } from './cost.ts';

const of = (attempts: number, amounts: readonly number[]): Attempts => ({
  attempts,
  sum: amounts.reduce((sum, it) => sum + it, 0),
  squares: amounts.reduce((sum, it) => sum + it ** 2, 0),
});

describe('what it costs', () => {
  it('is held against what as many attempts usually bring', () => {
    // 100 attempts, of which 90 bring 10; then 40, of which 20 do.
    const usual = new Map([['confirm', of(100, new Array(90).fill(10))]]);
    const cost = costOf(new Map([['confirm', of(40, new Array(20).fill(10))]]), usual)!;
    expect([cost.actual, cost.expected, cost.difference]).toEqual([200, 360, -160]);
    // Variance of an attempt: 90 - 81; 40 of them, and the mean of 100.
    expect(cost.most - cost.difference).toBeCloseTo(1.96 * Math.sqrt(9 * 40 * 1.4));
    expect(cost.difference - cost.least).toBeCloseTo(cost.most - cost.difference);
  });

  it('is no gain because more came, and a loss although more came', () => {
    const quiet = new Map([['confirm', of(50, new Array(50).fill(10))]]);
    expect(costOf(new Map([['confirm', of(500, new Array(500).fill(10))]]), quiet)!.difference).toBe(0);
    expect(costOf(new Map([['confirm', of(500, new Array(380).fill(10))]]), quiet)!.difference).toBe(-1200);
  });

  it('is not said without enough to go by', () => {
    expect(costOf(new Map([['confirm', of(50, [10])]]), new Map([['confirm', of(5, [10])]]))).toBeUndefined();
    expect(costOf(new Map(), new Map())).toBeUndefined();
  });

  it('has a range that holds the true loss at least nine times out of ten', () => {
    let state = 3;
    const random = () => {
      state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
      return state / 4294967296;
    };
    const amount = () => Math.exp(4 + Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random()));
    let held = 0;
    const trials = 300;
    for (let trial = 0; trial < trials; trial++) {
      const usual = Array.from({ length: 400 }, () => (random() < 0.97 ? amount() : 0)).filter((it) => it > 0);
      const failing = 0.05 + 0.5 * random();
      const count = 50 + Math.floor(400 * random());
      const kept: number[] = [];
      let lost = 0;
      for (let at = 0; at < count; at++) {
        const value = random() < 0.97 ? amount() : 0;
        if (value === 0) continue;
        if (random() < failing) lost += value;
        else kept.push(value);
      }
      const cost = costOf(new Map([['confirm', of(count, kept)]]), new Map([['confirm', of(400, usual)]]))!;
      if (cost.least <= -lost && -lost <= cost.most) held++;
    }
    expect(held / trials).toBeGreaterThanOrEqual(0.9);
  });
});
