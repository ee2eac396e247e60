import { describe, expect, it } from 'vitest';
import { countOf } from '../measures/sketch.ts';
import { addPageEvent, type PageMinutes, pageSeries } from './pageSeries.ts';
import { findShifts } from './shifts.ts';
import type { SeriesKey, WatchedKind } from './watchedSeries.ts';
import { withOwners } from './withOwners.ts';

const FIRST = 20_000 * 1440;
const LAST = FIRST + 419;
const SECOND = 1e9;

/** Seven hours of a page, shown ten times a minute, each time in about so long. */
function hours(tookAt: (minute: number) => number, crashesAt: (minute: number) => number = () => 0): PageMinutes {
  const minutes: PageMinutes = new Map();
  for (let minute = FIRST; minute <= LAST; minute++) {
    for (let view = 0; view < 10; view++)
      addPageEvent(minutes, { minute, crashed: false, durationNs: tookAt(minute - FIRST) * (0.8 + 0.04 * view) });
    for (let crash = 0; crash < crashesAt(minute - FIRST); crash++)
      addPageEvent(minutes, { minute, crashed: true, durationNs: null });
  }
  return minutes;
}

describe('a page of visitors as a series', () => {
  it('has its views as calls and its crashes as failures; nothing where nothing was told', () => {
    const minutes: PageMinutes = new Map();
    for (const durationNs of [SECOND, null]) addPageEvent(minutes, { minute: FIRST, crashed: false, durationNs });
    addPageEvent(minutes, { minute: FIRST, crashed: true, durationNs: null });
    addPageEvent(minutes, { minute: FIRST + 2, crashed: true, durationNs: null });
    const [first, second, third] = pageSeries(minutes, FIRST, FIRST + 2).minutes;
    expect([first?.calls, first?.failures, first && countOf(first.sketch)]).toEqual([2, 1, 1]);
    expect(second).toBeNull();
    // A crash whose view was told of in another minute.
    expect([third?.calls, third?.failures]).toEqual([1, 1]);
  });

  it('has a shift when it is ready later, from the minute on', () => {
    const late = pageSeries(
      hours((minute) => (minute < 300 ? 1 : 2.6) * SECOND),
      FIRST,
      LAST,
    );
    const found = findShifts(late);
    expect(found.length).toBeGreaterThan(0);
    for (const { firstMinute, measure } of found) {
      expect(Math.abs(firstMinute - (FIRST + 300))).toBeLessThanOrEqual(2);
      expect(measure).not.toBe('failures');
    }
  });

  it('has a shift of failures when apps crash on it', () => {
    const crashing = pageSeries(
      hours(
        () => SECOND,
        (minute) => (minute < 300 ? 0 : 2),
      ),
      FIRST,
      LAST,
    );
    expect(findShifts(crashing).map(({ measure }) => measure)).toContain('failures');
  });

  it('has none when all is as ever', () =>
    expect(
      findShifts(
        pageSeries(
          hours(() => SECOND),
          FIRST,
          LAST,
        ),
      ),
    ).toEqual([]));
});

it('pages of one app go together, those of two do not, operations go by their requests, a metric and, soon, a message with its service', () => {
  const known = new Map<SeriesKey, { kind: WatchedKind; owner: string }>([
    ['page:1', { kind: 'page', owner: 'deck-app' }],
    ['page:2', { kind: 'page', owner: 'deck-app' }],
    ['page:3', { kind: 'page', owner: 'quayside-web' }],
    ['operation:1', { kind: 'operation', owner: 'deck-app' }],
    ['operation:2', { kind: 'operation', owner: 'notices' }],
    ['metric:1', { kind: 'metric', owner: 'notices' }],
    ['metric:2', { kind: 'metric', owner: 'quay-3' }],
    ['shape:1', { kind: 'shape', owner: 'notices' }],
    ['shape:2', { kind: 'shape', owner: 'notices' }],
  ]);
  const coOccurrence = withOwners(
    (key) => known.get(key),
    () => ({ ofRarer: 0.3, ofEither: 0.2 }),
  );
  const pairs = [
    ['page:1', 'page:2'],
    ['page:1', 'page:3'],
    ['page:1', 'operation:1'],
    ['operation:8', 'operation:9'],
    ['metric:1', 'operation:2'],
    ['metric:2', 'operation:2'],
    ['shape:1', 'metric:1'],
    ['shape:1', 'operation:2'],
    ['shape:1', 'operation:1'],
    ['shape:1', 'shape:2'],
  ] as const;
  expect(pairs.map(([a, b]) => coOccurrence(a, b).ofRarer)).toEqual([1, 0, 0, 0.3, 1, 0, 1, 0.5, 0, 0.5]);
  // Not whenever both are in trouble.
  expect(coOccurrence('shape:1', 'operation:2').ofEither).toBe(0);
});
