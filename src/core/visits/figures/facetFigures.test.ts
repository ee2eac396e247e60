import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { chance } from '../../../../demo/simulation/chance.ts';
import { VISIT_START, VisitMaker } from '../../../../tests/support/made/visitMaker.ts';
import { narrowed } from '../slotVisits.ts';
import { FACETS, type Facet, visitSegments } from '../visitColumns.ts';
import { type Visit, visitOf } from '../visitOf.ts';
import { facetSums } from './facetFigures.ts';
import { pageSide } from './pageFigures.ts';

const SCOPE = { fromMs: VISIT_START, toMs: VISIT_START + 3_600_000, conditions: [] };

/** @param devices how many there are: of many, more kinds of visits than are counted together */
function made(seed: number, devices: number): Visit[] {
  const luck = chance(seed);
  return Array.from({ length: 900 }, (_, at) => {
    const maker = new VisitMaker();
    let time = luck.between(0, 500_000);
    for (let view = luck.between(1, 3); view > 0; view--) {
      time += luck.between(0, 90_000);
      maker.add('page', time, '/a', luck.happens(0.9) ? luck.between(0, 12_000) : null);
    }
    const about = {
      ...(luck.happens(0.8) ? { version: `2.${luck.between(1, 9)}` } : {}),
      region: ['Tern', 'Marram', 'Fennick'][luck.between(0, 2)],
      device: `device ${luck.between(1, devices)}`,
    };
    return visitOf(
      `s${at}`,
      luck.pick([
        ['web', 3],
        ['phone', 1],
      ] as const),
      'u',
      maker.about(about).events,
    );
  }).sort((a, b) => a.fromMs - b.fromMs);
}

interface Told {
  views: number;
  loads: number;
  sum: number;
  firstMs: number;
}

/** The same from the visits themselves, of the values that come first. */
function told(visits: readonly Visit[], facet: Facet): Record<string, Told> {
  const found = new Map<string, Told>();
  for (const visit of visits)
    for (const { atMs, readyUs } of visit.views) {
      const value = (facet === 'app' ? visit.app : visit.about[facet]) ?? '';
      let it = found.get(value);
      if (!it && found.size < 60) {
        it = { views: 0, loads: 0, sum: 0, firstMs: Number.POSITIVE_INFINITY };
        found.set(value, it);
      }
      if (!it) continue;
      it.views++;
      if (readyUs !== undefined) {
        it.loads++;
        it.sum += Math.round(Math.round(readyUs) / 1_000);
      }
      it.firstMs = Math.min(it.firstMs, VISIT_START + Math.round(visit.fromMs - VISIT_START) + Math.round(atMs - visit.fromMs));
    }
  return Object.fromEntries(found);
}

describe('views by the facets of their visits', () => {
  it('are what a count over the visits themselves has, with few kinds of visits and with more than are counted together', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 2 ** 31 }), fc.constantFrom(2, 50, 90), (seed, devices) => {
        const visits = made(seed, devices);
        const slots = narrowed(
          [visits.slice(0, 500), visits.slice(500)].map((of) => ({ fromMs: VISIT_START, ...visitSegments(of, VISIT_START) })),
          [],
        );
        const sums = facetSums(slots, pageSide(slots, SCOPE, 2_000).rows);
        for (const facet of FACETS) {
          const counted = [...sums[facet]].map(([value, { views, ready, firstMs }]): [string, Told] => [
            value,
            { views, loads: ready.total, sum: ready.sum, firstMs },
          ]);
          expect(Object.fromEntries(counted)).toEqual(told(visits, facet));
        }
      }),
      { numRuns: 9 },
    );
  });
});
