import { describe, expect, it } from 'vitest';
import { randomFrom } from '../../../tests/support/made/random.ts';
import { type ShapeCounts, shapeChanges } from './shapeChange.ts';

const STRETCHES = 48;

/** Counts with a Poisson distribution, of this mean. */
function counted(random: ReturnType<typeof randomFrom>, rate: number, stretches = STRETCHES): Float64Array {
  return Float64Array.from({ length: stretches }, () => {
    // Knuth: the product of uniform numbers falls below e^-rate after one more than so many.
    let [product, count] = [1, -1];
    while (product > Math.exp(-rate)) {
      product *= (random.below(1_000_000) + 0.5) / 1_000_000;
      count++;
    }
    return count;
  });
}

const usual = (seed: number, lit = 1, before = 1, stretches = STRETCHES): ShapeCounts[] => {
  const random = randomFrom(seed);
  return [0.02, 0.1, 0.5, 1, 2, 3, 5, 8].map((rate) => ({
    lit: counted(random, rate * lit),
    before: counted(random, rate * before, stretches),
    isKnown: true,
  }));
};
const statesOf = (shapes: readonly ShapeCounts[]) => shapeChanges(shapes).map(({ state }) => state);
const none = new Float64Array(STRETCHES);

describe('a shape', () => {
  it('is new, gone, more, fewer when it is so for sure', () => {
    const random = randomFrom(1);
    const [fresh, gone, more, fewer] = shapeChanges([
      { lit: counted(random, 2), before: none, isKnown: false },
      { lit: none, before: counted(random, 2), isKnown: true },
      { lit: counted(random, 6), before: counted(random, 2), isKnown: true },
      { lit: counted(random, 2), before: counted(random, 6), isKnown: true },
      ...usual(2),
    ]);
    expect([fresh.state, gone.state, more.state, fewer.state]).toEqual(['new', 'gone', 'more', 'fewer']);
    expect(more.times).toBeGreaterThan(2);
    expect(fresh.times).toBeNull();
  });

  it('that was never met is new with its first line; one that is rare is not', () => {
    const one = Float64Array.from(none, (_, at) => (at === 7 ? 1 : 0));
    expect(statesOf([{ lit: one, before: none, isKnown: false }, ...usual(3)])[0]).toBe('new');
    expect(statesOf([{ lit: one, before: none, isKnown: true }, ...usual(3, 2, 2)])[0]).toBe('rare');
  });

  it('comes in a burst when most of it comes at once', () => {
    const random = randomFrom(4);
    const lit = counted(random, 1);
    lit[20] = 60;
    expect(statesOf([{ lit, before: counted(random, 2), isKnown: true }, ...usual(5)])[0]).toBe('burst');
  });

  it('is no news where there is more traffic, nor where it is said by the clock while traffic grows', () => {
    const random = randomFrom(6);
    const byClock = { lit: counted(random, 5), before: counted(random, 5), isKnown: true };
    for (const state of statesOf([byClock, ...usual(7, 1.8)])) expect(['same', 'rare']).toContain(state);
  });

  it('is held against a window before of another length', () => {
    for (const state of statesOf(usual(8, 1, 1, 2 * STRETCHES))) expect(['same', 'rare']).toContain(state);
  });
});

it('of quiet times at most one shape in a hundred is called', () => {
  let [called, all] = [0, 0];
  for (let seed = 100; seed < 300; seed++)
    for (const state of statesOf(usual(seed))) {
      all++;
      if (state !== 'same' && state !== 'rare') called++;
    }
  expect(called / all).toBeLessThanOrEqual(0.01);
});

it('counts that are restless by themselves are held to a higher bar', () => {
  // Nothing for most of the time, then a dozen: before as now, only more of it by chance.
  const restless = (every: number) => Float64Array.from(none, (_, at) => (at % every === 0 ? 12 : 0));
  expect(statesOf([{ lit: restless(6), before: restless(9), isKnown: true }, ...usual(9)])[0]).toBe('same');
});
