import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { chance } from '../../../../demo/simulation/chance.ts';
import { VisitMaker } from '../../../../tests/support/made/visitMaker.ts';
import { narrowed } from '../slotVisits.ts';
import { visitSegments } from '../visitColumns.ts';
import { visitOf } from '../visitOf.ts';
import { funnelOf, parseSteps, stepsText, usualSteps } from './funnel.ts';
import { splits } from './funnelSplits.ts';
import { passages } from './passages.ts';

const FROM = Date.parse('2026-05-02T14:00:00Z');
const SCOPE = { fromMs: FROM, toMs: FROM + 600_000, conditions: [] };
const STEPS = ['search', 'hold', 'pay'].map((name) => ({ kind: 'action' as const, name }));

interface Made {
  readonly steps: readonly (readonly [name: string, afterMs: number, tookMs?: number | null, effect?: string])[];
  readonly ends?: 'crash' | 'error';
  readonly user?: string;
  readonly about?: Record<string, string>;
}

function slot(made: readonly Made[]) {
  const visits = made.map(({ steps, ends, user = '', about = {} }, at) => {
    const maker = new VisitMaker().add('page', 0, '/a', 100);
    for (const [name, after, took = 50, effect = 'mutation'] of steps) maker.add('action', after, name, took, { effect });
    if (ends) maker.add(ends, steps.at(-1)![1] + 100, 'it broke');
    return visitOf(`s${at}`, 'app', user, maker.about(about).events);
  });
  return narrowed([{ fromMs: FROM, ...visitSegments(visits, FROM) }], []);
}

const run = (made: readonly Made[], options: { withinMs?: number; per?: 'visit' | 'user' } = {}) =>
  funnelOf(passages(slot(made), SCOPE, { steps: STEPS, withinMs: 3_600_000, per: 'visit', ...options }), STEPS.length);

describe('a funnel', () => {
  it('takes the first match of each step in order; others between them do not matter', () => {
    const [a, b, c] = run([
      {
        steps: [
          ['search', 0],
          ['help', 500],
          ['hold', 1_000],
          ['pay', 4_000],
        ],
      },
      {
        steps: [
          ['hold', 0],
          ['search', 1_000],
          ['pay', 2_000],
        ],
      },
      { steps: [['pay', 0]] },
    ]);
    expect([a.reached, b.reached, c.reached]).toEqual([2, 1, 1]);
    expect([a.wentOn, b.wentOn, c.wentOn]).toEqual([1, 1, 0]);
    expect([a.medianMs, b.medianMs]).toEqual([1_000, 3_000]);
  });

  it('counts no press without an effect', () => {
    expect(
      run([
        {
          steps: [
            ['search', 0],
            ['hold', 1_000, null, 'none'],
          ],
        },
      ]).map(({ reached }) => reached),
    ).toEqual([1, 0, 0]);
  });

  it('wants all steps within the time after the first', () => {
    const made = [
      {
        steps: [
          ['search', 0],
          ['hold', 50_000],
          ['pay', 70_000],
        ] as const,
      },
    ];
    expect(run(made, { withinMs: 60_000 }).map(({ reached }) => reached)).toEqual([1, 1, 0]);
  });

  it('counts a user once, by the visit that came farthest', () => {
    const made: Made[] = [
      { user: 'u1', steps: [['search', 0]] },
      {
        user: 'u1',
        steps: [
          ['search', 0],
          ['hold', 9],
        ],
      },
      { user: 'u2', steps: [['search', 0]] },
    ];
    expect(run(made, { per: 'user' }).map(({ reached }) => reached)).toEqual([2, 1, 0]);
    expect(run(made).map(({ reached }) => reached)).toEqual([3, 1, 0]);
  });

  it('says why visitors left: crash before error before slow before nothing', () => {
    const well: Made[] = Array.from({ length: 40 }, (_, at) => ({
      steps: [
        ['search', 0, 100 + at],
        ['hold', 1_000, 100],
      ],
    }));
    const [first] = run([
      ...well,
      { steps: [['search', 0, 100]], ends: 'crash' },
      { steps: [['search', 0, 100]], ends: 'error' },
      { steps: [['search', 0, 9_000]] },
      { steps: [['search', 0, 100]] },
    ]);
    expect(first.left).toEqual({ crash: 1, error: 1, slow: 1, none: 1 });
  });

  it('does not call anybody slow when too few went on to say what is slow', () => {
    const [first] = run([
      { steps: [['search', 0, 60_000]] },
      {
        steps: [
          ['search', 0],
          ['hold', 900],
        ],
      },
    ]);
    expect(first.left).toEqual({ crash: 0, error: 0, slow: 0, none: 1 });
  });

  it('is made of what most press, in their order, when no steps are chosen', () => {
    const slots = slot(
      Array.from({ length: 10 }, () => ({
        steps: [
          ['search', 0],
          ['hold', 10],
          ['pay', 20],
        ] as const,
      })),
    );
    expect(usualSteps(slots, SCOPE)).toEqual(STEPS);
  });
});

describe('steps as text', () => {
  it('come back as they were, whatever their names', () => {
    const steps = [
      { kind: 'page' as const, name: '/a>b:c d' },
      { kind: 'action' as const, name: 'pay & go' },
    ];
    expect(parseSteps(stepsText(steps))).toEqual(steps);
    expect(parseSteps('action:search > page:/pay')).toEqual([
      { kind: 'action', name: 'search' },
      { kind: 'page', name: '/pay' },
    ]);
    expect(parseSteps('search')).toBeUndefined();
  });
});

describe('who leaves', () => {
  it('is told by the smallest group that explains it: one version on one device', () => {
    const made = (crashing: boolean): Made[] =>
      ['6.1', '6.2'].flatMap((version) =>
        ['Fennel 7', 'Tansy 12', 'Yarrow S'].flatMap((device) =>
          Array.from({ length: 40 }, (_, at): Made => {
            const leaves = crashing && version === '6.2' && device === 'Fennel 7' ? at % 10 !== 0 : at % 10 === 0;
            return {
              about: { version, device },
              steps: leaves
                ? [['search', 0]]
                : [
                    ['search', 0],
                    ['hold', 10],
                  ],
              ends: leaves && crashing ? 'crash' : undefined,
            };
          }),
        ),
      );
    const [lit, before] = [slot(made(true)), slot(made(false))];
    const options = { steps: STEPS, withinMs: 3_600_000, per: 'visit' as const };
    const found = splits(
      {
        lit: { slots: lit, passages: passages(lit, SCOPE, options) },
        before: { slots: before, passages: passages(before, SCOPE, options) },
      },
      0,
    );
    expect(found[0].facets.map((facet, at) => `${facet} ${found[0].group[at]}`)).toEqual(['version 6.2', 'device Fennel 7']);
    expect(found[0].explains).toBeCloseTo(1, 1);
    const one = found[0].values.find(({ values }) => values.join() === '6.2,Fennel 7');
    expect(one).toMatchObject({ lit: { reached: 40, wentOn: 4 }, before: { reached: 40, wentOn: 36 } });
  });

  it('is counted by every fact and pair of facts as a count visit by visit has it, however many values one has', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 2 ** 31 }), fc.constantFrom(4, 90), (seed, devices) => {
        const luck = chance(seed);
        const made = (): Made[] =>
          Array.from({ length: 150 }, () => ({
            about: {
              ...(luck.happens(0.9) ? { version: `6.${luck.between(1, 3)}` } : {}),
              device: `device ${luck.between(1, devices)}`,
              ...(luck.happens(0.5) ? { 'ferry.fare': luck.happens(0.5) ? 'day' : 'season' } : {}),
            },
            steps: luck.happens(0.3)
              ? [['search', 0]]
              : [
                  ['search', 0],
                  ['hold', 10],
                ],
          }));
        const sides = [made(), made()];
        const [lit, before] = sides.map((all) => [...slot(all.slice(0, 70)), ...slot(all.slice(70))]);
        const options = { steps: STEPS, withinMs: 3_600_000, per: 'visit' as const };
        const found = splits(
          {
            lit: { slots: lit, passages: passages(lit, SCOPE, options) },
            before: { slots: before, passages: passages(before, SCOPE, options) },
          },
          0,
        );
        expect(found.map(({ facets }) => facets.join()).sort()).toEqual([
          'device',
          'device,ferry.fare',
          'ferry.fare',
          'version',
          'version,device',
          'version,ferry.fare',
        ]);
        for (const { facets, values } of found) {
          const counted = new Map<string, number[]>();
          for (const [side, all] of sides.entries())
            for (const { about = {}, steps } of all) {
              const key = facets.map((facet) => about[facet] ?? '').join();
              // The first sixty groups that come are told apart.
              if (!counted.has(key) && counted.size >= 60) continue;
              const counts = counted.get(key) ?? [0, 0, 0, 0];
              counts[2 * side]++;
              if (steps.length > 1) counts[2 * side + 1]++;
              counted.set(key, counts);
            }
          expect(
            Object.fromEntries(
              values.map((it) => [it.values.join(), [it.lit.reached, it.lit.wentOn, it.before.reached, it.before.wentOn]]),
            ),
          ).toEqual(Object.fromEntries(counted));
        }
      }),
      { numRuns: 12 },
    );
  });
});
