import { describe, expect, it } from 'vitest';
import { readTypedMoment } from './typedMoment.ts';

const LATEST = Date.parse('2026-11-27T14:30:00Z');
const read = (text: string, zone = 'UTC', latest = LATEST) => {
  const found = readTypedMoment(text, zone, latest);
  return found && new Date(found.at).toISOString();
};

describe('a moment that is typed', () => {
  it.each([
    ['14:02', '2026-11-27T14:02:00.000Z'],
    ['14:02:30', '2026-11-27T14:02:30.000Z'],
    ['0:05', '2026-11-27T00:05:00.000Z'],
    // Not yet today: that of yesterday.
    ['14:31', '2026-11-26T14:31:00.000Z'],
    ['today', '2026-11-27T00:00:00.000Z'],
    ['yesterday', '2026-11-26T00:00:00.000Z'],
    ['yesterday 23:50', '2026-11-26T23:50:00.000Z'],
    ['2026-11-20', '2026-11-20T00:00:00.000Z'],
    ['2026-11-20t08:15', '2026-11-20T08:15:00.000Z'],
    ['20 nov', '2026-11-20T00:00:00.000Z'],
    ['nov 20, 09:00', '2026-11-20T09:00:00.000Z'],
    ['20. november 2025 09:00', '2025-11-20T09:00:00.000Z'],
    // After today: that of last year.
    ['3 dec', '2025-12-03T00:00:00.000Z'],
    // 27 November 2026 is a Friday.
    ['fri', '2026-11-27T00:00:00.000Z'],
    ['thursday 10:00', '2026-11-26T10:00:00.000Z'],
    ['saturday', '2026-11-21T00:00:00.000Z'],
  ])('%s', (text, expected) => {
    expect(read(text)).toBe(expected);
  });

  it.each([
    '',
    'noon',
    '24:00',
    '14:60',
    '12:00:99',
    '31 apr',
    '30 feb 2026',
    '2026-13-01',
    '20 foo',
    'yesterday 25:00',
    '14',
    'next fri',
  ])('is refused: "%s"', (text) => {
    expect(read(text)).toBeUndefined();
  });

  it('says whether a day or a time was typed', () => {
    const of = (text: string) => {
      const { isDay, hasDay } = readTypedMoment(text, 'UTC', LATEST)!;
      return [isDay, hasDay];
    };
    expect([of('14:02'), of('yesterday'), of('yesterday 14:02')]).toEqual([
      [false, false],
      [true, true],
      [false, true],
    ]);
  });

  it('is of the zone that is shown', () => {
    expect(read('00:30', 'Asia/Kolkata')).toBe('2026-11-26T19:00:00.000Z');
    expect(read('yesterday', 'America/New_York')).toBe('2026-11-26T05:00:00.000Z');
    expect(read('2026-11-20', 'Asia/Kolkata')).toBe('2026-11-19T18:30:00.000Z');
  });

  it('holds over the days on which clocks change', () => {
    // Clocks went back in Berlin on 25 October 2026, forward on 29 March.
    const after = Date.parse('2026-10-26T12:00:00Z');
    expect(read('yesterday', 'Europe/Berlin', after)).toBe('2026-10-24T22:00:00.000Z');
    expect(read('24 oct', 'Europe/Berlin', after)).toBe('2026-10-23T22:00:00.000Z');
    expect(read('29 mar', 'Europe/Berlin', after)).toBe('2026-03-28T23:00:00.000Z');
    expect(read('25 oct 14:00', 'Europe/Berlin', after)).toBe('2026-10-25T13:00:00.000Z');
    expect(read('29 mar 14:00', 'Europe/Berlin', after)).toBe('2026-03-29T12:00:00.000Z');
    expect(read('29 mar 01:30', 'Europe/Berlin', after)).toBe('2026-03-29T00:30:00.000Z');
    expect(read('30 mar', 'Europe/Berlin', after)).toBe('2026-03-29T22:00:00.000Z');
  });
});
