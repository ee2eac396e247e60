import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { clockRange, clockTimeExact, timeTicks, withinRange, zoneOffset } from './clock.ts';
import { formatDuration, parseDuration, shortDuration, writeDuration } from './duration.ts';
import { formatIso, parseIso } from './iso.ts';

describe('durations', () => {
  it.each([
    [0, '0 ns'],
    [999, '999 ns'],
    [1500, '1.50 µs'],
    [44_712_345, '44.7 ms'],
    [999_600_000, '1.00 s'],
    [7_420_000_000, '7.42 s'],
    [59_970_000_000, '1 min'],
    [125_000_000_000, '2 min 5 s'],
    [3_599_900_000_000, '1 h'],
    [3_700_000_000_000, '1 h 2 min'],
    [-1_000_000, '−1.00 ms'],
  ])('%d ns reads %s', (ns, text) => expect(formatDuration(ns)).toBe(text));

  it('are short on an axis', () => {
    expect([0, 2e9, 1.5e9, 2.5e8, 1e4].map(shortDuration)).toEqual(['0', '2 s', '1.5 s', '250 ms', '10 µs']);
  });

  it('are read as people type them', () => {
    expect([parseDuration('3s'), parseDuration('250 ms'), parseDuration('1.5'), parseDuration('2 min')]).toEqual([
      3e9, 2.5e8, 1.5e9, 1.2e11,
    ]);
    for (const text of ['', 'soon', '-3s', '3 parsecs', '1e9']) expect(parseDuration(text)).toBeUndefined();
  });

  it('are written so that they read back to the same', () => {
    fc.assert(fc.property(fc.integer({ min: 0, max: 1e13 }), (ns) => void expect(parseDuration(writeDuration(ns))).toBe(ns)));
  });
});

describe('ISO 8601', () => {
  it('keeps nanoseconds both ways', () => {
    fc.assert(
      fc.property(
        fc.bigInt({ min: 0n, max: 4_000_000_000_000_000_000n }),
        (time) => void expect(parseIso(formatIso(time))).toBe(time),
      ),
    );
  });

  it('takes offsets, and times without seconds', () => {
    expect(parseIso('2026-05-02T16:02+02:00')).toBe(parseIso('2026-05-02T14:02:00.000Z'));
  });

  it('does not take what has no zone or is no date', () => {
    for (const text of ['2026-05-02', '2026-05-02T14:02:00', '2026-13-02T14:02:00Z', 'now', ''])
      expect(parseIso(text)).toBeUndefined();
  });
});

describe('clocks', () => {
  const at = Date.parse('2026-05-02T14:06:31.204Z');

  it('show a zone’s time of day', () => {
    expect(clockTimeExact(at, 'Asia/Kolkata')).toBe('19:36:31.204');
    expect(zoneOffset(at, 'Asia/Kolkata')).toBe(330);
    expect(zoneOffset(at, 'America/New_York')).toBe(-240);
  });

  it('name the day only where it is not today', () => {
    expect(clockRange(at, at + 1_800_000, 'UTC', at)).toBe('14:06–14:36');
    expect(clockRange(at, at + 1_800_000, 'UTC', at + 86_400_000)).toBe('Sat 2 May 14:06–14:36');
    expect(clockRange(at, at + 43_200_000, 'UTC', at)).toBe('14:06–Sun 3 May 02:06');
    expect(withinRange(at, at + 1_800_000, 'UTC', at)).toBe('in 14:06–14:36');
    expect(withinRange(at, at + 1_800_000, 'UTC', at + 86_400_000)).toBe('on Sat 2 May 14:06–14:36');
  });

  it('have ticks at round times of the zone, not of UTC', () => {
    expect(
      timeTicks(at, at + 7_200_000, 4, 'Asia/Kolkata').map((tick) => clockTimeExact(tick, 'Asia/Kolkata').slice(0, 5)),
    ).toEqual(['20:00', '20:30', '21:00', '21:30']);
  });
});
