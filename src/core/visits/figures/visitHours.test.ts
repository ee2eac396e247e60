import { describe, expect, it } from 'vitest';
import { chance } from '../../../../demo/simulation/chance.ts';
import { VISIT_START, VisitMaker } from '../../../../tests/support/made/visitMaker.ts';
import { narrowed } from '../slotVisits.ts';
import { visitSegments } from '../visitColumns.ts';
import { type Visit, visitOf } from '../visitOf.ts';
import { extremesOf, VisitHours } from './visitHours.ts';

const HOUR = 3_600_000;
const START = Math.ceil(VISIT_START / HOUR) * HOUR;

/** Loads of an hour, each in a visit of its own. */
function loadsIn(hour: number, count: number, ms: () => number): Visit[] {
  return Array.from({ length: count }, (_, at) =>
    visitOf(
      `h${hour}-${at}`,
      'quayside-web',
      `u${at}`,
      new VisitMaker()
        .add('page', START - VISIT_START + hour * HOUR + Math.floor((at * HOUR) / count), '/sailings', ms(), {})
        .about({ version: '2.30', region: 'Tern' }).events,
    ),
  );
}
/** One slot with them all. */
const slotsOf = (visits: Visit[], values = ['quayside-web']) =>
  narrowed([{ fromMs: VISIT_START, ...visitSegments(visits, VISIT_START) }], [{ field: 'app', values, not: false }]);
const scope = (from: number, to: number) => ({ fromMs: START + from * HOUR, toMs: START + to * HOUR, conditions: [] });

describe('visits by the hour', () => {
  it('have the third quartile of each full hour with enough loads, the same whole and in parts', () => {
    const luck = chance(4);
    const counts = [40, 25, 5, 60, 21, 30, 22, 80];
    const loads = counts.map((count, hour) => loadsIn(hour, count, () => 200 + hour * 50 + luck.between(0, 400)));
    const slots = slotsOf(loads.flat());
    const whole = new VisitHours(START, START + 8 * HOUR);
    whole.add(slots, scope(0, 8));
    const parts = new VisitHours(START, START + 8 * HOUR);
    for (const [from, to] of [
      [0, 3.5],
      [3.5, 8],
    ])
      parts.add(slots, scope(from, to));
    expect(parts.hours()).toEqual(whole.hours());
    const expected = loads.flatMap((visits, hour) => {
      if (visits.length < 20) return [];
      const ms = visits.flatMap(({ views }) => views.map(({ readyUs }) => Math.round(readyUs! / 1_000))).sort((a, b) => a - b);
      return [{ fromMs: START + hour * HOUR, loads: ms.length, p75: ms[Math.ceil(0.75 * ms.length) - 1] }];
    });
    expect(whole.hours()).toEqual(expected);
  });

  it('leave out hours that are not whole, and what is not asked for', () => {
    const slots = slotsOf(Array.from({ length: 4 }, (_, hour) => loadsIn(hour, 30, () => 300)).flat());
    const cut = new VisitHours(START + 0.5 * HOUR, START + 3.5 * HOUR);
    cut.add(slots, scope(0.5, 3.5));
    expect(cut.hours().map(({ fromMs }) => (fromMs - START) / HOUR)).toEqual([1, 2]);
    const other = new VisitHours(START, START + 4 * HOUR);
    other.add(
      slotsOf(
        loadsIn(0, 30, () => 300),
        ['deck-app'],
      ),
      scope(0, 4),
    );
    expect(other.hours()).toEqual([]);
    expect(new VisitHours(START + 1, START + HOUR - 1).hours()).toEqual([]);
  });
});

describe('the best and the worst hour', () => {
  const hours = (...p75: number[]) => p75.map((ms, at) => ({ fromMs: at * HOUR, loads: 30, p75: ms }));

  it('are those by p75, of equal ones the later; half lie under the median', () => {
    const found = extremesOf(hours(500, 300, 900, 300, 900, 400))!;
    expect([found.best.fromMs / HOUR, found.worst.fromMs / HOUR, found.median]).toEqual([3, 4, 450]);
    expect(extremesOf(hours(7, 1, 2, 3, 4, 5, 6))!.median).toBe(4);
  });

  it('are not said of few hours', () => {
    expect(extremesOf(hours(1, 2, 3, 4, 5))).toBeUndefined();
    expect(extremesOf([])).toBeUndefined();
  });
});
