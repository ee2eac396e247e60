import { expect, it } from 'vitest';
import { fullnessOf } from './fullness.ts';
import type { MachineMeasures } from './measureColumns.ts';
import type { Measure } from './measures.ts';

/** Measures of which the last value is known. */
const measuresOf = (of: Readonly<Record<string, Partial<Record<Measure, number>>>>, others: readonly string[] = []) =>
  ({
    subjects: [
      ...Object.keys(of).map((name) => ({ kind: 'host', name })),
      ...others.map((name) => ({ kind: 'container', name })),
    ],
    last: (_: string, name: string, measure: Measure) => of[name]?.[measure],
  }) as unknown as MachineMeasures;

it('is the mean of all machines, and the one that is fullest, whichever way each tells it', () => {
  const { machines, cpu, memory } = fullnessOf(
    measuresOf({
      'quay-1': { cpu: 0.2, 'memory of limit': 0.5 },
      'quay-2': { 'cpu of time': 0.9, 'memory share': 0.7 },
      // What is told in both ways counts once.
      'quay-3': { cpu: 0.1, 'cpu of time': 0.8, 'memory share': 0.6 },
    }),
  );
  expect(machines).toBe(3);
  expect(cpu!.mean).toBeCloseTo(0.4, 12);
  expect(cpu).toMatchObject({ most: 0.9, name: 'quay-2' });
  expect(memory!.mean).toBeCloseTo(0.6, 12);
  expect(memory).toMatchObject({ most: 0.7, name: 'quay-2' });
});

it('is of machines that told it, and of nothing when none did', () => {
  expect(fullnessOf(measuresOf({ 'quay-1': { cpu: 0.3 }, 'quay-2': {} }))).toEqual({
    machines: 1,
    cpu: { mean: 0.3, most: 0.3, name: 'quay-1' },
    memory: null,
  });
  expect(fullnessOf(measuresOf({}, ['holds-1']))).toEqual({ machines: 0, cpu: null, memory: null });
});
