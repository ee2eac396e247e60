import { describe, expect, it } from 'vitest';
import { chance } from '../../../../demo/simulation/chance.ts';
import { VISIT_START, VisitMaker } from '../../../../tests/support/made/visitMaker.ts';
import { narrowed } from '../slotVisits.ts';
import { visitSegments } from '../visitColumns.ts';
import { conditionsText, parseConditions, passing, type VisitCondition } from '../visitFilter.ts';
import { type Visit, visitOf } from '../visitOf.ts';
import { pagesSentence } from '../words.ts';
import { appsIn } from './appsIn.ts';
import { checkFigures } from './checkFigures.ts';
import { struggledElements } from './elements.ts';
import { facetSums, facetValues } from './facetFigures.ts';
import { harmOfVisits } from './harmOfVisits.ts';
import { bands, type PageSide, pageSide, readyOverTime } from './pageFigures.ts';
import { partyFigures } from './partyFigures.ts';
import { ValueCounts } from './valueCounts.ts';
import { faultGroups, versionFigures } from './versionFigures.ts';
import { visitRows } from './visitRows.ts';
import { apdexOf, ratingOf } from './vitals.ts';

/** Visits of two versions: the newer waits for a third party. */
function made(count: number, seed: number, newer: number): Visit[] {
  const luck = chance(seed);
  return Array.from({ length: count }, (_, at) => {
    const version = at < newer ? '2.31' : '2.30';
    const slow = version === '2.31' ? 3_000 + luck.between(0, 2_000) : 0;
    const load = 300 + luck.between(0, 300);
    const maker = new VisitMaker()
      .add('page', at * 10, luck.happens(0.7) ? '/sailings' : '/pay', load + slow, { 'request.ms': 100 })
      .add('resource', at * 10 + 100, 'https://tags.example/tag.js', slow || 20, { party: 'third', bytes: 500 })
      .add('task', at * 10 + 100 + slow, 'https://own.example/app.js', load - 100)
      .add('vital', at * 10 + 900, 'INP', slow ? 600 : 90)
      .add('action', at * 10 + 7_000, 'search', slow ? null : 50, { effect: slow ? 'none' : 'mutation' });
    if (slow && luck.happens(0.2))
      maker.add('error', at * 10 + 7_100, `no queue ${at}`, null, { stack: 'f (a.js:1)\ng (b.js:2)' });
    return visitOf(
      `s${at}`,
      'quayside-web',
      `u${at % 7}`,
      maker.about({ version, region: luck.happens(0.5) ? 'Tern' : 'Marram', new: at % 4 === 0 }).events,
    );
  });
}

const slotsOf = (visits: Visit[], conditions: VisitCondition[] = []) =>
  narrowed([{ fromMs: VISIT_START, ...visitSegments(visits, VISIT_START) }], conditions);
const SCOPE = { fromMs: VISIT_START, toMs: VISIT_START + 3_600_000, conditions: [] };
const LIT = made(400, 1, 300);
const BEFORE = made(300, 2, 0);

function p75(values: number[]): number {
  return [...values].sort((a, b) => a - b)[Math.ceil(0.75 * values.length) - 1];
}

describe('pages', () => {
  const [lit, before] = [pageSide(slotsOf(LIT), SCOPE, 2_000), pageSide(slotsOf(BEFORE), SCOPE, 2_000)];

  it('have the figures that a count over the visits themselves has', () => {
    const views = LIT.flatMap((it) => it.views).filter(({ page }) => page === '/sailings');
    const ready = views.map(({ readyUs }) => Math.round(readyUs! / 1_000));
    const sum = lit.pages.get('/sailings')!;
    expect(sum.views).toBe(views.length);
    expect(sum.ready.quantile(0.75)).toBe(p75(ready));
    expect(sum.ready.mean).toBeCloseTo(ready.reduce((a, b) => a + b, 0) / ready.length, 6);
    expect(sum.satisfied).toBe(ready.filter((it) => it <= 2_000).length);
    expect(sum.tolerated).toBe(ready.filter((it) => it > 2_000 && it <= 8_000).length);
    expect(sum.vitals.INP!.quantile(0.75)).toBe(p75(views.map(({ vitals }) => vitals.INP!)));
    expect(sum.signs['no answer']).toBe(views.filter(({ signs }) => signs.some(({ kind }) => kind === 'no answer')).length);
    expect(sum.errors).toBe(views.filter(({ errors }) => errors > 0).length);
  });

  it('have the phases of loads about the third quartile, adding up, with the third party', () => {
    const { whole } = bands(slotsOf(LIT), lit);
    expect(Object.values(whole.phases).reduce((a, b) => a + b, 0)).toBeCloseTo(whole.readyUs, 3);
    expect(whole.party).toBe('tags.example');
    expect(whole.partyUs).toBeCloseTo(whole.phases.third, 3);
    expect(whole.phases.third).toBeGreaterThan(0.6 * whole.readyUs);
  });

  it('are slower by version and not by region', () => {
    const facetsOf = (visits: Visit[], { rows, whole }: PageSide) => ({
      facets: facetSums(slotsOf(visits), rows),
      ready: whole.ready,
    });
    const [now, then] = [facetsOf(LIT, lit), facetsOf(BEFORE, before)];
    const best = (facet: 'version' | 'region') => Math.max(...facetValues(facet, now, then).map(({ explains }) => explains));
    expect(best('version')).toBeGreaterThan(0.9);
    expect(best('region')).toBeLessThan(0.2);
    const newer = facetValues('version', now, then).find(({ value }) => value === '2.31');
    expect(newer).toMatchObject({ lit: 300, before: 0, firstMs: VISIT_START });
  });

  it('over time have a line a version, broken where it was not seen', () => {
    const lines = readyOverTime(slotsOf(LIT), { ...SCOPE, toMs: VISIT_START + 4_000 }, 'version', ['2.31', '2.30'], 4);
    expect(lines.get('2.31')!.map((it) => it > 3_000)).toEqual([true, true, true, false]);
    expect(lines.get('2.30')!.map(Number.isNaN)).toEqual([true, true, true, false]);
  });

  it('of visits that may still go on have not been left', () => {
    const left = (settledBeforeMs?: number) => pageSide(slotsOf(LIT), { ...SCOPE, settledBeforeMs }, 2_000).whole.left;
    const middle = VISIT_START + 8_000;
    expect(left()).toBe(400);
    expect(left(middle)).toBe(LIT.filter(({ toMs }) => Math.round(toMs - VISIT_START) < 8_000).length);
    expect(left(VISIT_START)).toBe(0);
  });

  it('of a window are those that were opened in it', () => {
    const half = { ...SCOPE, toMs: VISIT_START + 2_000 };
    expect(pageSide(slotsOf(LIT), half, 2_000).whole.views).toBe(200);
  });
});

describe('narrowing', () => {
  const count = (conditions: VisitCondition[]) => passing(slotsOf(LIT)[0].visits, conditions).reduce((sum, it) => sum + it, 0);
  const is = (field: string, ...values: string[]): VisitCondition => ({ field, values, not: false });

  it.each([
    ['version', [is('version', '2.31')], LIT.filter(({ about }) => about.version === '2.31').length],
    ['not a region', [{ ...is('region', 'Tern'), not: true }], LIT.filter(({ about }) => about.region !== 'Tern').length],
    ['new', [is('new', 'yes')], 100],
    ['a sign', [is('sign', 'no answer')], 300],
    ['an error', [is('fault', 'error')], LIT.filter(({ faults }) => faults.length > 0).length],
    ['a page', [is('page', '/pay')], LIT.filter(({ views }) => views.some(({ page }) => page === '/pay')).length],
    ['a press', [is('action', 'search')], 400],
    [
      'two at once',
      [is('version', '2.31'), is('user', 'u1', 'u2')],
      LIT.filter(({ about, user }) => about.version === '2.31' && ['u1', 'u2'].includes(user)).length,
    ],
    ['what nobody reports', [is('browser', '')], 400],
    ['a further fact that is not there', [is('party size', '1')], 0],
  ])('by %s', (_, conditions, expected) => expect(count(conditions)).toBe(expected));

  it('comes back from its text, and what is none is refused', () => {
    const conditions = [is('region', 'Little Auk', 'a|b;c=d'), { ...is('sign', 'any'), not: true }];
    expect(parseConditions(conditionsText(conditions))).toEqual(conditions);
    expect(parseConditions('nonsense')).toBeUndefined();
    expect(parseConditions('a=%')).toBeUndefined();
  });
});

describe('visits', () => {
  it('are counted by application', () => {
    expect(appsIn(slotsOf(LIT), SCOPE).get('quayside-web')).toMatchObject({
      visits: 400,
      views: 400,
      struggling: 300,
      errors: LIT.reduce((sum, it) => sum + it.faults.length, 0),
    });
  });

  it('that crashed are as many as those of the kinds of crash, also where the window ends between a visit and its crash', () => {
    const visits = Array.from({ length: 60 }, (_, at) => {
      const maker = new VisitMaker().add('page', at * 1_000, '/manifest', 300);
      if (at % 3 === 0) maker.add('crash', at * 1_000 + 5_000, 'row 0 of 0');
      return visitOf(`s${at}`, 'deck-app', `u${at}`, maker.about({ version: '6.2' }).events);
    });
    const window = { ...SCOPE, fromMs: VISIT_START + 10_000, toMs: VISIT_START + 40_000 };
    const [group] = faultGroups(slotsOf(visits), window);
    expect(group).toMatchObject({ times: 10, visits: 10, firstMs: VISIT_START + 17_000, lastMs: VISIT_START + 44_000 });
    expect(versionFigures(slotsOf(visits), window, 4)[0].crashed).toBe(group.visits);
    expect(appsIn(slotsOf(visits), window).get('deck-app')!.crashed).toBe(group.visits);
  });

  it('crashed or not, however often each of them did', () => {
    const visits = [0, 3, 1, 0, 2].map((crashes, at) => {
      const maker = new VisitMaker().add('page', at * 10, '/pay', 300);
      for (let crash = 1; crash <= crashes; crash++) maker.add('crash', at * 10 + crash * 1_000, 'it broke');
      return visitOf(`s${at}`, 'deck-app', `u${at}`, maker.events);
    });
    const counts = appsIn(slotsOf(visits), SCOPE).get('deck-app')!;
    expect(counts).toMatchObject({ visits: 5, crashes: 6, crashed: 3, faulty: 3 });
    const before = { visits: 500, struggling: 0, crashed: 0 };
    const load = {
      ready: { p75: 300, loads: 500 },
      band: {
        readyMs: 300,
        phases: bands(slotsOf(visits), pageSide(slotsOf(visits), SCOPE, 2_000)).whole.phases,
        party: '',
        script: '',
        partyMs: 0,
      },
    };
    expect(pagesSentence({ lit: load, before: load }, { lit: counts, before }, 'Screens')).toContain('3 of 5 visits crash');
  });

  it('are listed with those first that waited longest', () => {
    const { rows, total, waited } = visitRows(slotsOf(LIT), SCOPE, 'waited', 5);
    expect(total).toBe(400);
    expect(rows.map(({ waitedMs }) => waitedMs)).toEqual(
      LIT.map(({ waitedMs }) => Math.round(waitedMs))
        .sort((a, b) => b - a)
        .slice(0, 5),
    );
    expect(waited.length).toBe(400);
  });

  it('say what was struggled with', () => {
    const [most] = struggledElements(slotsOf(LIT), SCOPE);
    expect(most).toMatchObject({ sign: 'no answer', name: 'search', visits: most.times });
  });

  it('by version are crash-free or not, new or not, and errors are grouped though their numbers differ', () => {
    const versions = versionFigures(slotsOf(LIT), SCOPE, 4);
    expect(versions.map(({ version, visits, newUsers }) => [version, visits, newUsers])).toEqual([
      ['2.31', 300, 75],
      ['2.30', 100, 25],
    ]);
    expect(versions[0].overTime.reduce((a, b) => a + b, 0)).toBe(300);
    const groups = faultGroups(slotsOf(LIT), SCOPE);
    expect(groups.length).toBe(1);
    expect(groups[0]).toMatchObject({
      kind: 'error',
      times: LIT.filter(({ faults }) => faults.length > 0).length,
      versions: [['2.31', groups[0].times]],
    });
  });

  it('say what a third party holds up', () => {
    const [tags] = partyFigures(slotsOf(LIT), SCOPE, 4);
    const held = LIT.flatMap(({ views }) => views.map(({ phases }) => phases.third / 1_000));
    expect(tags).toMatchObject({ party: 'tags.example', views: 400, requests: 400, bytes: 200_000 });
    expect(tags.heldMean).toBeCloseTo(held.reduce((a, b) => a + b, 0) / 400, 6);
  });
});

describe('small figures', () => {
  it('quantiles are exact up to 8 s and within 1.1 % above', () => {
    const luck = chance(5);
    for (const most of [8_000, 4_000_000]) {
      const values = Array.from({ length: 2_001 }, () => luck.between(0, most));
      const counts = new ValueCounts();
      for (const it of values) counts.add(it);
      for (const q of [0, 0.5, 0.75, 0.95, 1]) {
        const exact = [...values].sort((a, b) => a - b)[Math.max(1, Math.ceil(q * values.length)) - 1];
        if (exact < 8_192) expect(counts.quantile(q)).toBe(exact);
        else expect(counts.quantile(q) / exact).toBeCloseTo(1, 1.96);
      }
      expect(counts.between([100, 1_000]).reduce((a, b) => a + b, 0)).toBe(2_001);
    }
  });

  it('vitals are rated by the public thresholds, the limit itself being good', () => {
    expect([ratingOf('LCP', 2_500), ratingOf('LCP', 2_501), ratingOf('LCP', 4_001), ratingOf('CLS', 100)]).toEqual([
      'good',
      'middling',
      'poor',
      'good',
    ]);
  });

  it('Apdex counts the tolerated by half', () => {
    expect(apdexOf({ satisfied: 60, tolerated: 30, all: 100 })).toBe(0.75);
    expect(apdexOf({ satisfied: 0, tolerated: 0, all: 0 })).toBeNaN();
  });

  it('Apdex of a page is by its own target, and of all pages by that of each', () => {
    const targetOf = (page: string) => (page === '/pay' ? 500 : 2_000);
    const side = pageSide(slotsOf(LIT), SCOPE, targetOf);
    const views = LIT.flatMap((it) => it.views).map(({ page, readyUs }) => ({ page, ms: Math.round(readyUs! / 1_000) }));
    const felt = (of: typeof views, from: number, to: number) =>
      of.filter(({ page, ms }) => ms > from * targetOf(page) && ms <= to * targetOf(page)).length;
    const ofPay = views.filter(({ page }) => page === '/pay');
    const pay = side.pages.get('/pay')!;
    expect([pay.satisfied, pay.tolerated]).toEqual([felt(ofPay, -1, 1), felt(ofPay, 1, 4)]);
    expect([side.whole.satisfied, side.whole.tolerated]).toEqual([felt(views, -1, 1), felt(views, 1, 4)]);
    // It tells: by the target of all, others are satisfied.
    expect(pay.satisfied).toBeLessThan(pageSide(slotsOf(LIT), SCOPE, 2_000).pages.get('/pay')!.satisfied);
    expect(side.pages.get('/sailings')!.satisfied).toBe(pageSide(slotsOf(LIT), SCOPE, 2_000).pages.get('/sailings')!.satisfied);
  });

  it('a check’s times are those of runs that went well', () => {
    const step = (ms: number, ok = true) => ({ name: 'open', ms, ok });
    const runs = [100, 200, 300].map((ms) => ({ ok: true, durationMs: ms, steps: [step(ms)] }));
    expect(checkFigures([...runs, { ok: false, durationMs: 15_000, steps: [step(15_000, false)] }])).toEqual({
      runs: 4,
      failed: 1,
      p50: 200,
      p95: 300,
      steps: [{ name: 'open', p50: 200, failed: 1 }],
    });
  });
});

describe('what visitors were harmed by', () => {
  const views = (visits: Visit[], scope = SCOPE) => ({ slots: slotsOf(visits), scope });
  const harm = harmOfVisits(views(LIT), views(BEFORE));

  const of = (visits: Visit[], page: string) =>
    visits.flatMap((visit) => visit.views.filter((it) => it.page === page).map((view) => ({ visit, view })));
  const readyMs = (visits: Visit[], page: string) => of(visits, page).map(({ view }) => Math.round(view.readyUs! / 1_000));
  /** Visits with a view that went wrong, was a struggle, or came later than 99 of 100 before. */
  const harmed = ['/sailings', '/pay'].flatMap((page) => {
    const usual = readyMs(BEFORE, page).sort((a, b) => a - b);
    const late = usual[Math.ceil(0.99 * usual.length) - 1];
    return of(LIT, page).flatMap(({ visit, view }) =>
      view.errors > 0 || view.signs.length > 0 || Math.round(view.readyUs! / 1_000) > late ? [visit] : [],
    );
  });

  it('is what a count over the visits themselves gives, of the pages that got worse', () => {
    const mean = (values: number[]) => values.reduce((a, b) => a + b, 0) / values.length;
    const pages = ['/sailings', '/pay'];
    expect([...harm.pages].sort()).toEqual([...pages].sort());
    expect(harm.views).toBe(400);
    expect(harm.failed).toBe(LIT.flatMap((it) => it.views).filter(({ errors }) => errors > 0).length);
    const waiting = pages.map((page) => {
      const [now, then] = [readyMs(LIT, page), readyMs(BEFORE, page)];
      return (mean(now) - mean(then)) * now.length;
    });
    expect(harm.waitingMs).toBeCloseTo(waiting[0] + waiting[1], 3);
    expect(harm.people).toBe(new Set(harmed.map(({ user }) => user)).size);
  });

  it('counts visits where no user is named', () => {
    const nameless = LIT.map((it) => ({ ...it, user: '' }));
    const { people } = harmOfVisits(views(nameless), views(BEFORE));
    expect(people).toBe(new Set(harmed).size);
    expect(people).toBeGreaterThan(7);
  });

  it('is none in a time like the one before, and none where nobody came', () => {
    const none = { pages: [], people: 0, views: 0, failed: 0, waitingMs: 0 };
    expect(harmOfVisits(views(made(350, 5, 0)), views(BEFORE))).toEqual(none);
    expect(harmOfVisits(views([]), views(BEFORE))).toEqual(none);
  });

  it('of a page that was not there before is what goes wrong on it, not its time', () => {
    const isPaying = (visit: Visit) => visit.views.some(({ page }) => page === '/pay');
    const { pages, failed, waitingMs } = harmOfVisits(
      views(LIT.filter(isPaying)),
      views(BEFORE.filter((visit) => !isPaying(visit))),
    );
    expect(pages).toEqual(['/pay']);
    expect(failed).toBeGreaterThan(0);
    expect(waitingMs).toBe(0);
  });
});
