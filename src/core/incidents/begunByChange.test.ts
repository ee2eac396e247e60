import { describe, expect, it } from 'vitest';
import { begunByChange, type ChangeAt } from './begunByChange.ts';
import { joinShifts, type SeriesShift } from './joinShifts.ts';
import { type SeriesKey, seriesKeyOf } from './watchedSeries.ts';

const OWNERS = ['holds', 'gangway', 'vessels'];
const ownerOf = (key: SeriesKey) => OWNERS[Number(key.split(':')[1])];

/** A shift of one of the owners that begins about a minute, within a range. */
const shift = (owner: string, firstMinute: number, [beginsFrom, beginsTo]: [number, number], evidence = 20): SeriesShift => ({
  series: seriesKeyOf('operation', OWNERS.indexOf(owner)),
  measure: 'p95',
  firstMinute,
  beginsFrom,
  beginsTo,
  evidence,
  foundMinute: firstMinute + 3,
  lastMinute: firstMinute + 30,
  usual: 1e8,
  shifted: 5e8,
});
const change = (minute: number, title: string, { service = 'release-desk', kind = 'deployment' } = {}): ChangeAt => ({
  minute,
  service,
  kind,
  title,
});
const begin = (shifts: SeriesShift[], ...changes: ChangeAt[]) => {
  const [group] = joinShifts(shifts, () => ({ ofRarer: 1, ofEither: 1 }));
  return begunByChange(group, changes, ownerOf);
};

describe('the beginning of an incident', () => {
  it('is the change of what is in trouble that lies in its range', () => {
    const found = begin([shift('holds', 104, [98, 106])], change(100, 'holds 5.12.0 on holds-1'));
    expect(found.firstMinute).toBe(100);
    expect(found.shifts[0]).toMatchObject({ firstMinute: 100, beginsFrom: 98, beginsTo: 106 });
  });

  it.each([
    ['before the range', change(97, 'holds 5.12.0 on holds-1')],
    ['after the range', change(107, 'holds 5.12.0 on holds-1')],
    ['of something else', change(100, 'crew 1.9.0 on crew-1')],
    ['of something of a longer name', change(100, 'holds-archive 2.0 installed')],
  ])('is what the calls say when a change is %s', (_, it) => {
    expect(begin([shift('holds', 104, [98, 106])], it).firstMinute).toBe(104);
  });

  it('is the first of a roll-out, and of several changes the nearest', () => {
    const shifts = () => [shift('holds', 104, [90, 110])];
    const rollOut = [change(100, 'holds 5.12.0 on holds-1'), change(102, 'holds 5.12.0 on holds-2')];
    expect(begin(shifts(), ...rollOut).firstMinute).toBe(100);
    expect(begin(shifts(), ...rollOut, change(91, 'holds: pool set to 2', { kind: 'setting' })).firstMinute).toBe(100);
    expect(begin(shifts(), change(91, 'holds: pool set to 2', { kind: 'setting' })).firstMinute).toBe(91);
  });

  it('is told the same by each of its shifts that may have begun then', () => {
    const found = begin(
      [shift('holds', 104, [98, 106], 40), shift('gangway', 105, [99, 108], 30), shift('vessels', 106, [103, 106], 5)],
      change(100, 'gangway 8.3.0 on gangway-1'),
    );
    expect(found.firstMinute).toBe(100);
    expect(found.shifts.map(({ firstMinute }) => firstMinute).sort((a, b) => a - b)).toEqual([100, 100, 106]);
  });

  it('is no change that came after something of it was found', () => {
    const early = { ...shift('gangway', 99, [97, 99], 5), foundMinute: 101 };
    const clear = { ...shift('holds', 104, [98, 110], 40), foundMinute: 112 };
    expect(begin([early, clear], change(105, 'holds 5.12.0 on holds-1')).firstMinute).toBe(104);
    expect(begin([early, clear], change(100, 'holds 5.12.0 on holds-1')).firstMinute).toBe(100);
  });

  it('is by the service that reported the change, too', () => {
    expect(begin([shift('holds', 104, [98, 106])], change(99, 'heap halved', { service: 'holds' })).firstMinute).toBe(99);
  });
});
