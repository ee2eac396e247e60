import { describe, expect, it } from 'vitest';
import { type SeriesKey, seriesKeyOf, type WatchedKind } from './watchedSeries.ts';
import { withOwners } from './withOwners.ts';

const ALL: Record<SeriesKey, { kind: WatchedKind; owner: string }> = {
  'operation:1': { kind: 'operation', owner: 'gangway' },
  'operation:2': { kind: 'operation', owner: 'notices' },
  'operation:3': { kind: 'operation', owner: 'fares' },
  'metric:4': { kind: 'metric', owner: 'notices' },
  'metric:5': { kind: 'metric', owner: 'quay-3' },
  'shape:6': { kind: 'shape', owner: 'notices' },
  'shape:7': { kind: 'shape', owner: 'gangway' },
  'page:8': { kind: 'page', owner: 'deck-app' },
  'struggle:9': { kind: 'struggle', owner: 'deck-app' },
};
const SHARED = { ofRarer: 1, ofEither: 0.9 };
const NONE = { ofRarer: 0, ofEither: 0 };
const SOON = { ofRarer: 0.5, ofEither: 0 };
const OWN = { ofRarer: 1, ofEither: 1 };

/** gangway asks notices in nearly all of its requests, and fares in none. */
const byRequests = (a: SeriesKey, b: SeriesKey) => ([a, b].sort().join() === 'operation:1,operation:2' ? SHARED : NONE);
const related = withOwners(
  (key) => ALL[key],
  byRequests,
  (owner) => (Object.keys(ALL) as SeriesKey[]).filter((key) => ALL[key].kind === 'operation' && ALL[key].owner === owner),
);

describe('series go together', () => {
  it.each([
    ['operations as their requests do', 'operation:1', 'operation:2', SHARED],
    ['operations without a request in common not at all', 'operation:1', 'operation:3', NONE],
    ['pods with the operations of their service', 'metric:4', 'operation:2', OWN],
    ['pods with the operations of who calls their service', 'metric:4', 'operation:1', SHARED],
    ['pods with nobody who does not call their service', 'metric:4', 'operation:3', NONE],
    ['a host, which answers nothing itself, with no operation', 'metric:5', 'operation:1', NONE],
    ['what a service writes with its operations, soon after', 'shape:6', 'operation:2', SOON],
    ['what a service writes with no operation of another', 'shape:7', 'operation:2', NONE],
    ['what a service writes with its own pods', 'shape:6', 'metric:4', OWN],
    ['pages and signs of struggle of one application', 'page:8', 'struggle:9', OWN],
    ['pages with no host', 'page:8', 'metric:5', NONE],
  ] as [string, SeriesKey, SeriesKey, object][])('%s', (_, a, b, expected) => {
    expect(related(a, b)).toEqual(expected);
    expect(related(b, a)).toEqual(expected);
  });

  it('pages with operations not at all, and what is gone with nothing', () => {
    expect(related('page:8', 'operation:1')).toEqual(NONE);
    expect(related(seriesKeyOf('page', 99), 'page:8')).toEqual(NONE);
  });
});
