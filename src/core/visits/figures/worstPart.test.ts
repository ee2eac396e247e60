import { describe, expect, it } from 'vitest';
import { chance } from '../../../../demo/simulation/chance.ts';
import { VISIT_START, VisitMaker } from '../../../../tests/support/made/visitMaker.ts';
import { narrowed } from '../slotVisits.ts';
import { visitSegments } from '../visitColumns.ts';
import { type Visit, visitOf } from '../visitOf.ts';
import { appsIn } from './appsIn.ts';
import { pageSide } from './pageFigures.ts';
import { worstVisits } from './worstPart.ts';

const HOUR = 3_600_000;
const DAY = 24 * HOUR;

interface Bad {
  readonly from: number;
  readonly to: number;
  readonly slowMs?: number;
  readonly struggle?: number;
  readonly crash?: number;
}

/** A day of visits, one a minute or so, with hours in which they are worse. */
function day(seed: number, bad: readonly Bad[] = [], everyMs = 60_000): Visit[] {
  const luck = chance(seed);
  return Array.from({ length: Math.floor(DAY / everyMs) }, (_, at) => {
    const time = at * everyMs;
    const now = bad.find(({ from, to }) => time >= from * HOUR && time < to * HOUR);
    const maker = new VisitMaker()
      .add('page', time, '/sailings', 300 + luck.between(0, 300) + (now?.slowMs ?? 0), {})
      .add('action', time + 5_000, 'search', null, {
        effect: luck.happens(Math.max(0.01, now?.struggle ?? 0)) ? 'none' : 'mutation',
      });
    if (luck.happens(now?.crash ?? 0)) maker.add('crash', time + 6_000, 'it broke', null, { stack: 'f (a.js:1)' });
    return visitOf(`s${seed}-${at}`, 'deck-app', `u${at % 50}`, maker.about({ version: '6.1', region: 'Tern' }).events);
  });
}

const SCOPE = { fromMs: VISIT_START, toMs: VISIT_START + DAY, conditions: [] };
const slotsOf = (visits: Visit[]) => narrowed([{ fromMs: VISIT_START, ...visitSegments(visits, VISIT_START) }], []);

function beforeOf(visits: Visit[]) {
  const slots = slotsOf(visits);
  return { counts: appsIn(slots, SCOPE).get('deck-app')!, ready: pageSide(slots, SCOPE, 2_000).whole.ready };
}

/** Hours of the day from which to which it was worst. */
function worst(lit: Visit[], before = day(1)) {
  const part = worstVisits(slotsOf(lit), SCOPE, beforeOf(before));
  return part && [(part.fromMs - VISIT_START) / HOUR, (part.toMs - VISIT_START) / HOUR];
}

describe('the worst part of a day of visits', () => {
  it('is that in which pages took longer', () => {
    expect(worst(day(2, [{ from: 9, to: 11, slowMs: 2_000 }]))).toEqual([9, 11]);
  });

  it('is that in which more struggle, or crash, though pages are as quick', () => {
    const [from, to] = worst(day(3, [{ from: 14, to: 16, struggle: 0.4 }]))!;
    expect([Math.abs(from - 14), Math.abs(to - 16)].every((it) => it <= 0.5)).toBe(true);
    const [first, end] = worst(day(4, [{ from: 3, to: 6, crash: 0.3 }]))!;
    expect([Math.abs(first - 3), Math.abs(end - 6)].every((it) => it <= 1)).toBe(true);
  });

  it('is of two the one that harmed more', () => {
    const bad = [
      { from: 2, to: 3, slowMs: 3_000 },
      { from: 18, to: 22, slowMs: 1_000 },
    ];
    expect(worst(day(5, bad))).toEqual([18, 22]);
  });

  it('is nothing when all of the day is as bad, nor within short windows, nor without anything before', () => {
    expect(worst(day(6, [{ from: 0, to: 24, slowMs: 2_000 }]))).toBeUndefined();
    const lit = slotsOf(day(7, [{ from: 0, to: 1, slowMs: 2_000 }]));
    expect(worstVisits(lit, { ...SCOPE, toMs: VISIT_START + 2 * HOUR }, beforeOf(day(1)))).toBeUndefined();
    expect(worst(day(8, [{ from: 9, to: 11, slowMs: 2_000 }]), day(9, [], DAY / 10))).toBeUndefined();
  });

  it('is nothing on quiet days, with many visits or few', () => {
    for (let seed = 20; seed < 40; seed++) {
      expect(worst(day(seed))).toBeUndefined();
      expect(worst(day(seed, [], 5 * 60_000), day(seed + 100, [], 5 * 60_000))).toBeUndefined();
    }
  });
});
