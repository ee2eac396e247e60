import { describe, expect, it } from 'vitest';
import { type PairLine, pairRows } from './pairRows.ts';

const MINUTE = 60_000;
const STEP = 5 * MINUTE;
const at = (time: string) => Date.parse(`2026-05-02T${time}:00Z`);
const line = (side: 'lit' | 'before', points: readonly (readonly [string, number | null])[], name = 'p95'): PairLine => ({
  name,
  side,
  points: points.map(([time, value]) => [at(time), value]),
});
const windows = { litFrom: at('14:02'), beforeFrom: at('12:57'), stepMs: STEP };

describe('rows of a chart of two windows', () => {
  it('lay the same place of both windows on one another, wherever in a step they begin', () => {
    const lines = [
      line('lit', [
        ['14:00', 5],
        ['14:05', 7],
      ]),
      line('before', [
        ['12:55', 1],
        ['13:00', 2],
      ]),
    ];
    expect(pairRows(lines, windows)).toEqual([
      { offset: 0, 'lit p95': 5, 'before p95': 1 },
      { offset: STEP, 'lit p95': 7, 'before p95': 2 },
    ]);
  });

  it('end with the lit window when the one before is longer, and keep what is empty within it', () => {
    const lines = [
      line('lit', [
        ['14:00', null],
        ['14:05', 7],
      ]),
      line('before', [
        ['12:55', 1],
        ['13:00', 2],
        ['13:05', 3],
        ['13:10', 4],
      ]),
    ];
    expect(pairRows(lines, windows).map(({ offset }) => offset)).toEqual([0, STEP]);
    expect(pairRows(lines, windows)[0]['lit p95']).toBeNull();
  });

  it('are those of before alone where nothing is lit', () => {
    expect(pairRows([line('lit', []), line('before', [['13:00', 2]])], windows)).toEqual([{ offset: STEP, 'before p95': 2 }]);
    expect(pairRows([], windows)).toEqual([]);
  });

  it('have several lines of a side, in order of time, and nothing for 0 on a log axis', () => {
    const lines = [
      line('lit', [
        ['14:05', 9],
        ['14:00', 0],
      ]),
      line('lit', [['14:00', 3]], 'p50'),
    ];
    expect(pairRows(lines, windows)).toEqual([
      { offset: 0, 'lit p95': 0, 'lit p50': 3 },
      { offset: STEP, 'lit p95': 9 },
    ]);
    expect(pairRows(lines, windows, true)[0]).toEqual({ offset: 0, 'lit p95': null, 'lit p50': 3 });
  });
});
