import { expect, it } from 'vitest';
import { capacities, leastMove, movement } from './movement.ts';
import { formatRate } from './rate.ts';
import { formatValue } from './unitText.ts';

const around = (value: number, spread = 0.05) => Array.from({ length: 20 }, (_, at) => value * (1 + spread * ((at % 5) - 2)));

it('says which way a measure moved, and that another stayed flat', () => {
  expect(movement(around(10), around(25)).turn).toBe('up');
  expect(movement(around(10), around(4)).turn).toBe('down');
  expect(movement(around(10), around(11)).turn).toBe('flat');
});

it('takes no single peak for a move, and nothing within the usual spread', () => {
  expect(movement(around(10), [...around(10), 900]).turn).toBe('flat');
  expect(movement(around(10, 0.4), around(16, 0.4)).turn).toBe('flat');
});

it('knows differences that are none, whatever their ratio', () => {
  expect(movement(around(0.001), around(0.004), 0.05).turn).toBe('flat');
  expect(movement(around(0.1), around(0.9), 0.05).turn).toBe('up');
});

it('says nothing of too few values', () => {
  expect(movement([1, 2], around(10))).toMatchObject({ turn: 'unknown', before: 1.5 });
  expect(movement([], [])).toEqual({ before: null, lit: null, turn: 'unknown' });
});

it('writes rates and values as they read best', () => {
  expect([112.4, 9.21, 0.97, 0.072, 0.004, 0.0002, 0].map(formatRate)).toEqual([
    '112/s',
    '9.2/s',
    '0.97/s',
    '0.072/s',
    '0.24/min',
    '0.72/h',
    '0/s',
  ]);
  expect([
    formatValue(0.364, '1'),
    formatValue(0.0124, 's'),
    formatValue(3, '{connection}'),
    formatValue(1, '{request}'),
  ]).toEqual(['36.4 %', '12.4 ms', '3 connections', '1 request']);
});

it('is judged against what it can come to', () => {
  const of = (name: string, instance: string, values: readonly number[], pool = 'manifests to manifest-db') => ({
    name,
    instance,
    host: 'vm-1',
    attributes: { 'db.client.connection.pool.name': pool },
    points: values.map((value, at): [number, number] => [at, value]),
  });
  const used = of('db.client.connection.used', 'manifests-1', [0.002, 0.37]);
  const capacityOf = capacities([
    used,
    of('db.client.connection.max', 'manifests-1', [1, 1]),
    of('db.client.connection.max', 'manifests-2', [10]),
    of('db.client.connection.max', 'manifests-1', [40], 'another pool'),
  ]);
  expect(capacityOf(used)).toBe(1);
  expect(capacityOf({ ...used, name: 'process.cpu.time' })).toBeUndefined();
  const quiet = [0.001, 0.002, 0.002, 0.003, 0.002];
  const busy = [0.33, 0.37, 0.41, 0.38];
  // A third of a pool of one is much; of a pool of ten it is none.
  expect(movement(quiet, busy, leastMove('{connection}', 1)).turn).toBe('up');
  expect(movement(quiet, busy, leastMove('{connection}', 10)).turn).toBe('flat');
  expect(movement(quiet, busy, leastMove('{connection}')).turn).toBe('flat');
});
