import { expect, it } from 'vitest';
import { DurationSample, kneeOf } from './knee.ts';

const ms = (...values: readonly number[]) => Float64Array.from(values, (value) => value * 1e6);
const many = (count: number, from: number, to: number) =>
  Array.from({ length: count }, (_, at) => from + ((to - from) * at) / count);

it('slow begins in the gap between short and long', () => {
  const knee = kneeOf(ms(...many(90, 40, 120), ...many(10, 2_000, 4_000)))! / 1e6;
  expect(knee).toBeGreaterThan(120);
  expect(knee).toBeLessThan(2_000);
});

it('without a gap the slowest twentieth is slow', () => {
  const durations = many(1000, 1, 5).map((it) => Math.exp(it));
  const knee = kneeOf(ms(...durations))! / 1e6;
  expect(durations.filter((it) => it >= knee).length / 1000).toBeCloseTo(0.05, 1);
});

it('of a handful of requests nobody knows', () => {
  expect(kneeOf(ms(1, 2, 3))).toBeUndefined();
});

it('of very many durations a part is held, spread over all of them', () => {
  const sample = new DurationSample();
  for (let at = 0; at < 900_000; at++) sample.add(at);
  const taken = sample.taken();
  expect(taken.length).toBeLessThanOrEqual(200_000);
  expect(taken.length).toBeGreaterThan(100_000);
  const mean = taken.reduce((sum, it) => sum + it, 0) / taken.length;
  expect(mean / 450_000).toBeCloseTo(1, 2);
});
