import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { chance } from '../../../../demo/simulation/chance.ts';
import { VisitMaker } from '../../../../tests/support/made/visitMaker.ts';
import { narrowed } from '../slotVisits.ts';
import { STEP_CRASH, STEP_ERROR, visitSegments } from '../visitColumns.ts';
import { type Visit, visitOf } from '../visitOf.ts';
import { chosenPassages, type Passages, passages } from './passages.ts';

const FROM = Date.parse('2026-05-02T14:00:00Z');
const SLOT_MS = 600_000;
const WITHIN_MS = 20_000;
const NAMES = ['search', 'hold', 'pay'];
const STEPS = NAMES.map((name) => ({ kind: 'action' as const, name }));

interface Told {
  readonly reached: number;
  readonly between: readonly number[];
  readonly waits: readonly number[];
  readonly ends: number;
  readonly waitedMs: number;
}

/** The same from the visit itself, step after step. */
function told({ steps, faults }: Visit): Told | undefined {
  let at = steps.findIndex(({ kind, name, worked }) => kind === 'action' && name === NAMES[0] && worked);
  if (at < 0) return undefined;
  const path = [at];
  while (path.length < NAMES.length) {
    const wanted = NAMES[path.length];
    at = steps.findIndex(
      ({ kind, name, worked }, index) => index > path.at(-1)! && kind === 'action' && name === wanted && worked,
    );
    if (at < 0 || steps[at].atMs - steps[path[0]].atMs > WITHIN_MS) break;
    path.push(at);
  }
  const tookOf = (from: number, to: number) => Math.max(0, ...steps.slice(from, to).map(({ tookMs }) => Math.round(tookMs ?? 0)));
  const last = path.at(-1)!;
  const after = faults.filter(({ atMs }) => atMs >= steps[last].atMs);
  return {
    reached: path.length,
    between: path.slice(1).map((it, index) => Math.round(steps[it].atMs - steps[path[index]].atMs)),
    // What the first step itself took is waited for on the way; what a later one took, too.
    waits: path.slice(1).map((it, index) => tookOf(path[index], it)),
    ends:
      (after.some(({ kind }) => kind === 'crash') ? STEP_CRASH : 0) +
      (after.some(({ kind }) => kind === 'error') ? STEP_ERROR : 0),
    waitedMs: tookOf(last, steps.length),
  };
}

function toldOf(of: Passages, at: number): Told {
  const done = of.reached[at] - 1;
  return {
    reached: of.reached[at],
    between: of.between.slice(0, done).map((column) => column[at]),
    waits: of.waits.slice(0, done).map((column) => column[at]),
    ends: of.ends[at],
    waitedMs: of.waitedMs[at],
  };
}

/** Visits that press this and that, some in vain, and at times run into an error or crash. */
function random(seed: number, count: number): Visit[] {
  const luck = chance(seed);
  return Array.from({ length: count }, (_, index) => {
    const maker = new VisitMaker().add('page', 0, '/a', luck.between(50, 900));
    let time = 0;
    for (let press = luck.between(0, 9); press > 0; press--) {
      time += luck.between(1, 9_000);
      maker.add('action', time, ['search', 'hold', 'pay', 'help'][luck.between(0, 3)], luck.between(1, 4_000), {
        effect: luck.happens(0.1) ? 'none' : 'mutation',
      });
      if (luck.happens(0.1)) maker.add(luck.happens(0.5) ? 'crash' : 'error', time + 1, 'it broke');
    }
    return visitOf(`s${index}`, 'app', `user ${luck.between(1, count)}`, maker.events);
  });
}

function slotsOf(visits: readonly Visit[], perSlot: number) {
  const slots = [];
  for (let at = 0; at < visits.length; at += perSlot)
    slots.push({ fromMs: FROM, ...visitSegments(visits.slice(at, at + perSlot), FROM) });
  return narrowed(slots, []);
}

const SCOPE = { fromMs: FROM, toMs: FROM + SLOT_MS, conditions: [] };
const OPTIONS = { steps: STEPS, withinMs: WITHIN_MS, per: 'visit' as const };

describe('passages of a funnel', () => {
  it('are what following each visit by itself finds, over many slots', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 2 ** 31 }), fc.constantFrom(7, 40, 3_000), (seed, perSlot) => {
        const visits = random(seed, 120);
        const found = passages(slotsOf(visits, perSlot), SCOPE, OPTIONS);
        expect(Array.from({ length: found.count }, (_, at) => toldOf(found, at))).toEqual(
          visits.map(told).filter((it) => it !== undefined),
        );
        expect(Array.from(found.slots, (slot, at) => slot * perSlot + found.rows[at])).toEqual(
          visits.flatMap((it, at) => (told(it) ? [at] : [])),
        );
      }),
      { numRuns: 20 },
    );
  });

  it('of users are the first of those of each that came farthest', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 2 ** 31 }), (seed) => {
        const visits = random(seed, 120);
        const best = new Map<string, Told>();
        for (const visit of visits) {
          const own = told(visit);
          const known = best.get(visit.user);
          if (own && (!known || known.reached < own.reached)) best.set(visit.user, own);
        }
        const found = passages(slotsOf(visits, 50), SCOPE, { ...OPTIONS, per: 'user' });
        expect(Array.from({ length: found.count }, (_, at) => toldOf(found, at))).toEqual([...best.values()]);
      }),
      { numRuns: 20 },
    );
  });

  it('that are chosen keep their order and what is known of them', () => {
    const found = passages(slotsOf(random(5, 200), 60), SCOPE, OPTIONS);
    const chosen = chosenPassages(found, (at) => at % 3 === 1);
    expect(chosen.count).toBe(Math.floor((found.count + 1) / 3));
    for (let at = 0; at < chosen.count; at++) {
      expect(toldOf(chosen, at)).toEqual(toldOf(found, 3 * at + 1));
      expect([chosen.slots[at], chosen.rows[at]]).toEqual([found.slots[3 * at + 1], found.rows[3 * at + 1]]);
    }
    expect(chosenPassages(found, () => false).count).toBe(0);
  });
});
