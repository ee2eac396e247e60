import { describe, expect, it } from 'vitest';
import { OwnPoints } from './ownPoints.ts';

const WHOSE = { resource: { 'service.name': 'dusk-lantern' }, scope: { name: 'dusk-lantern', version: '1' } };
const heap = (value: number) =>
  ({ name: 'dusk_heap', help: '', type: 'gauge', unit: 'bytes', values: [{ labels: {}, value }] }) as const;
const refused = (of: Record<string, number>) =>
  ({
    name: 'dusk_intake_refused',
    help: '',
    type: 'counter',
    unit: '',
    values: Object.entries(of).map(([status, value]) => ({ labels: { status }, value })),
  }) as const;

describe('figures of the application as points', () => {
  it('are what they are, with names and units of OTLP', () => {
    const points = new OwnPoints(WHOSE, 1n).take([heap(7)], 5n);
    expect(points).toEqual([
      { ...WHOSE, name: 'dusk.heap', unit: 'By', attributes: {}, start: 1n, time: 5n, value: { kind: 'gauge', number: 7 } },
    ]);
  });

  it('count what came since the last time, each by its labels, and begin anew with the process', () => {
    const own = new OwnPoints(WHOSE, 1n);
    const counts = (of: Record<string, number>, at: bigint) =>
      own.take([refused(of)], at).map(({ attributes, start, value }) => [attributes.status, start, value]);
    expect(counts({ 429: 3 }, 5n)).toEqual([['429', 1n, { kind: 'count', number: 3 }]]);
    expect(counts({ 429: 5, 503: 1 }, 9n)).toEqual([
      ['429', 5n, { kind: 'count', number: 2 }],
      ['503', 5n, { kind: 'count', number: 1 }],
    ]);
    expect(counts({ 429: 1 }, 10n)).toEqual([['429', 9n, { kind: 'count', number: 0 }]]);
  });
});
