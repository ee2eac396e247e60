import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { SeriesShift } from '../../core/incidents/joinShifts.ts';
import type { Rule } from '../../core/incidents/rules.ts';
import type { SeriesKey, WatchedSeries } from '../../core/incidents/watchedSeries.ts';
import { incidentState, incidentTitle, leadingFirst } from './describe.ts';

const shift = (series: SeriesKey, more: Partial<SeriesShift>): SeriesShift => ({
  series,
  measure: 'p95',
  usual: 1e8,
  shifted: 2e8,
  firstMinute: 10,
  beginsFrom: 9,
  beginsTo: 11,
  evidence: 30,
  foundMinute: 12,
  lastMinute: 20,
  ...more,
});
const series = (key: SeriesKey, owner: string, name: string, isEntry = false): WatchedSeries => ({
  key,
  kind: key.slice(0, key.indexOf(':')) as WatchedSeries['kind'],
  owner,
  name,
  isEntry,
  handles: true,
});
const WATCHED = [
  series('operation:1', 'gangway', 'POST /holds', true),
  series('operation:2', 'berths', 'POST /berths/allocations'),
  series('operation:3', 'gangway', 'GET /sailings', true),
  series('page:4', 'deck-app', '/manifest'),
];
/** Watched no more. */
const UNKNOWN = 'operation:99';
const MOVED = [...WATCHED.map(({ key }) => key), UNKNOWN] as const;
const ofShifts = (...shifts: SeriesShift[]) => ({ source: 'shift' as const, ruleId: '', shifts });

describe('the title of an incident', () => {
  it('is of what people ask for, though what they wait for moved more', () => {
    const it_ = ofShifts(shift('operation:2', { shifted: 9e9 }), shift('operation:1', { shifted: 4e8 }));
    expect(incidentTitle(it_, WATCHED, [])).toBe('gangway POST /holds: p95 100 ms → 400 ms');
  });

  it('is of failures before what is only slow, and of the share that grew most', () => {
    const slow = shift('operation:1', { shifted: 9e9 });
    const failing = shift('operation:3', { measure: 'failures', usual: 0.001, shifted: 0.042 });
    expect(incidentTitle(ofShifts(slow, failing), WATCHED, [])).toBe('gangway GET /sailings: failing 0.1 % → 4.2 %');
    const worse = shift('operation:1', { measure: 'failures', usual: 0, shifted: 0.5 });
    expect(incidentTitle(ofShifts(failing, worse), WATCHED, [])).toBe('gangway POST /holds: failing 0 % → 50 %');
  });

  it('names a page as one', () => {
    const it_ = ofShifts(shift('page:4', { measure: 'failures', usual: 0.008, shifted: 0.13 }));
    expect(incidentTitle(it_, WATCHED, [])).toBe('deck-app page /manifest: failing 0.8 % → 13 %');
  });

  it('is of the rule that fires, by its name; of one that is gone it says so', () => {
    const it_ = { source: 'rule' as const, ruleId: 'r1', shifts: [] };
    expect(incidentTitle(it_, WATCHED, [{ id: 'r1', name: 'no boats' } as Rule])).toBe('rule fires: no boats');
    expect(incidentTitle(it_, WATCHED, [])).toBe('a rule fires that has been dropped since');
  });

  it('is there for what is watched no more, and for what never was', () => {
    expect(incidentTitle(ofShifts(shift('operation:99', {})), WATCHED, [])).toBe('a series: p95 100 ms → 200 ms');
    expect(incidentTitle(ofShifts(), WATCHED, [])).toBe('something moved');
  });
});

it('what moved is listed once each, what the title is of first, without what is watched no more', () => {
  const shifts = fc.array(
    fc.record({
      key: fc.constantFrom(...MOVED),
      shifted: fc.integer({ min: 1e8, max: 1e10 }),
    }),
    { minLength: 1, maxLength: 8 },
  );
  fc.assert(
    fc.property(shifts, (made) => {
      const moved = made.map(({ key, shifted }) => shift(key, { shifted }));
      const listed = leadingFirst({ shifts: moved }, WATCHED);
      const known = new Set(moved.map((one) => one.series).filter((it) => it !== UNKNOWN));
      expect(new Set(listed.map(({ key }) => key))).toEqual(known);
      expect(listed).toHaveLength(known.size);
      const title = incidentTitle(ofShifts(...moved), WATCHED, []);
      if (!title.startsWith('a series')) expect(title).toContain(listed[0].name);
    }),
  );
});

it('an incident is open while it is seen, quiet for an hour, and then over', () => {
  const after = (minutes: number) => incidentState({ lastMinute: 1000 }, 1000 + minutes);
  expect([0, 10, 11, 60, 61, 100_000].map(after)).toEqual(['open', 'open', 'quiet', 'quiet', 'closed', 'closed']);
});
