import { describe, expect, it } from 'vitest';
import { csvText } from '../../ui/save/csv.ts';
import { completions } from './completions.ts';
import { nearestPoint, regionOf, roundDuration } from './pictureGeometry.ts';

const fields = [
  {
    field: 'ferry.vehicle_class',
    values: [
      { value: 'coach', count: 40 },
      { value: 'car', count: 900 },
    ],
    distinct: 2,
    many: false,
  },
  { field: 'booking.ref', values: [], distinct: 0, many: true },
];
const shown = (line: string) => completions(line, fields).map((it) => it.shown);

describe('completion', () => {
  it('offers fields, then words, then values', () => {
    expect(shown('vehi')).toEqual(['ferry.vehicle_class']);
    expect(shown('coach')).toEqual(['ferry.vehicle_class is coach']);
    expect(shown('ferry.vehicle_class ')).toContain('is not');
    expect(shown('ferry.vehicle_class is ')).toEqual(['coach', 'car']);
    expect(shown('ferry.vehicle_class = co')).toEqual(['coach']);
    expect(shown('dur')).toEqual(['duration']);
    expect(shown('')).toEqual([]);
  });

  it('goes on with the last condition of the line, in a pattern too', () => {
    expect(completions('duration over 3s; ferry.vehicle_class is co', fields)[0]).toMatchObject({
      text: 'duration over 3s; ferry.vehicle_class is coach',
      complete: true,
    });
    expect(completions('span where service is berths and vehicle', fields)[0]).toMatchObject({
      text: 'span where service is berths and ferry.vehicle_class ',
      complete: false,
    });
  });
});

describe('a drag over the picture', () => {
  const axes = { plot: 600, base: 150, top: 10, timeAt: (x: number) => 1000 + x, durationAt: (y: number) => 200 - y };
  const region = (x: number, y: number, toX: number, toY: number, inMargin = false) =>
    regionOf({ x, y, toX, toY, inMargin }, axes);

  it('encloses times and durations', () => {
    expect(region(100, 40, 300, 120)).toEqual({ from: 1100, to: 1300, least: 80, most: 160 });
    expect(region(300, 120, 100, 40)).toEqual({ from: 1100, to: 1300, least: 80, most: 160 });
  });

  it('is about one of them when it is flat, and open where it leaves the picture', () => {
    expect(region(100, 40, 300, 43)).toEqual({ from: 1100, to: 1300 });
    expect(region(100, 40, 102, 120)).toEqual({ least: 80, most: 160 });
    expect(region(650, 60, 600, 150, true)).toEqual({ most: 140 });
    expect(region(650, 5, 600, 60, true)).toEqual({ least: 140 });
  });

  it('finds the point that is meant', () => {
    const points = { x: [10, 14, 100], y: [10, 10, 50] };
    expect([nearestPoint(points, 13, 11, 9), nearestPoint(points, 60, 50, 9)]).toEqual([1, undefined]);
    expect([roundDuration(1_234_567), roundDuration(98_765)]).toEqual([1_230_000, 98_800]);
  });
});

describe('CSV', () => {
  it('quotes what must be, and lets no spreadsheet work out a value', () => {
    expect(
      csvText([
        ['a,b', 'say "x"', 3, null],
        ['=1+1', 'two\nlines', -2, ''],
      ]),
    ).toBe('"a,b","say ""x""",3,\r\n\'=1+1,"two\nlines",-2,');
  });
});
