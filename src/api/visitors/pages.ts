import { z } from 'zod';
import { appsIn, noVisits } from '../../core/visits/figures/appsIn.ts';
import { struggledElements } from '../../core/visits/figures/elements.ts';
import { facetSums, facetValues } from '../../core/visits/figures/facetFigures.ts';
import {
  type Band,
  bands,
  type PageSide,
  PageSum,
  pageSide,
  readyOverTime,
  type Target,
} from '../../core/visits/figures/pageFigures.ts';
import type { ValueCounts } from '../../core/visits/figures/valueCounts.ts';
import { apdexOf, VITAL_NAMES, VITALS } from '../../core/visits/figures/vitals.ts';
import { type VisitPart, worstVisits } from '../../core/visits/figures/worstPart.ts';
import { PHASES } from '../../core/visits/loadPhases.ts';
import { SIGNS } from '../../core/visits/struggle.ts';
import { FACETS } from '../../core/visits/visitColumns.ts';
import { pageTargets } from '../../store/settings/pageTargets.ts';
import { endpoint } from '../endpoint.ts';
import { targetMs } from './targets.ts';
import { describeVisitors, type Visitors, visitCounts, visitorParameters, visitorsAnswer, visitorsOf } from './visitsOf.ts';

export type VisitorPages = z.output<typeof visitorPagesList.answer>;

/** Stretches of each window that are drawn over time. */
const BINS = 60;
/** Values of a facet that are listed. */
const MOST_VALUES = 10;
const MOST_LINES = 4;

const phases = z.object(Object.fromEntries(PHASES.map((it) => [it, z.number()])) as Record<(typeof PHASES)[number], z.ZodNumber>);
const signs = z.object(Object.fromEntries(SIGNS.map((it) => [it, z.int()])) as Record<(typeof SIGNS)[number], z.ZodInt>);

const vital = z.object({ p75: z.number(), views: z.int(), good: z.number(), poor: z.number() }).meta({
  description:
    'Third quartile in milliseconds, of CLS in thousandths; shares of views within the good and above the poor threshold.',
});

const figures = z.object({
  views: z.int(),
  ready: z.object({ p75: z.number().nullable(), p95: z.number().nullable(), mean: z.number().nullable(), loads: z.int() }),
  vitals: z.partialRecord(z.enum(VITAL_NAMES as [string, ...string[]]), vital),
  apdex: z.number().nullable(),
  satisfied: z.int().meta({ description: 'Loads that were ready in the target.' }),
  tolerated: z.int().meta({ description: 'Loads that took longer, and up to four times as long.' }),
  left: z.int().meta({ description: 'Views on which the visit ended.' }),
  errors: z.int().meta({ description: 'Views with an error or crash.' }),
  signs,
  band: z
    .object({
      loads: z.int(),
      readyMs: z.number(),
      phases: phases.meta({ description: 'Milliseconds; they add up to readyMs.' }),
      party: z.string(),
      script: z.string(),
      partyMs: z.number(),
    })
    .meta({ description: 'Loads from the 70th to the 80th percentile of the time until ready, in the mean.' }),
});
type Figures = z.output<typeof figures>;

const spread = z.object({ edges: z.array(z.number()), lit: z.array(z.int()), before: z.array(z.int()) });

export const visitorPagesList = endpoint({
  path: '/api/visitors/pages',
  least: 'reader',
  summary:
    'What visitors lived through on pages, lit against before: time until ready by phase, web vitals, Apdex, errors, signs of struggle, where visits end; by version, region, browser and device; the worst pages first.',
  runs: 'analysis',
  query: z.strictObject({
    ...visitorParameters,
    target: targetMs.default(2_000).meta({
      description: 'Milliseconds until ready that satisfy, for Apdex, on pages without a target of their own.',
    }),
  }),
  answer: z.object({
    ...visitorsAnswer,
    target: z.number(),
    ownTargets: z.int().meta({ description: 'Pages with a target of their own, of those that were looked at.' }),
    whole: z.object({ lit: figures, before: figures }),
    worst: z.object({ from: z.number(), to: z.number(), lit: figures, counts: visitCounts }).nullable().meta({
      description:
        'When visitors had it worst, epoch milliseconds, and what it was like then, where that is a part of a long window.',
    }),
    pages: z.array(
      z.object({
        page: z.string(),
        lit: figures,
        before: figures,
        extraMs: z.number(),
        ownTarget: z.number().nullable().meta({ description: 'Milliseconds that satisfy on this page; null for those of all.' }),
      }),
    ),
    ready: spread,
    inp: spread,
    cls: spread,
    facets: z.array(
      z.object({
        facet: z.string(),
        explains: z.number().meta({ description: 'Of the difference of the means, what one value explains at most.' }),
        by: z.string(),
        values: z.array(
          z.object({
            value: z.string(),
            lit: z.int(),
            before: z.int(),
            litP75: z.number().nullable(),
            beforeP75: z.number().nullable(),
            explains: z.number(),
            firstMs: z.number().nullable(),
          }),
        ),
      }),
    ),
    overTime: z.object({
      facet: z.string(),
      lines: z.array(
        z.object({ value: z.string(), lit: z.array(z.number().nullable()), before: z.array(z.number().nullable()) }),
      ),
    }),
    elements: z.array(
      z.object({
        sign: z.enum(SIGNS),
        page: z.string(),
        name: z.string(),
        times: z.int(),
        visits: z.int(),
        session: z.string(),
      }),
    ),
  }),
  run: async ({ target, ...query }) => {
    const visitors = await visitorsOf(query, 'views');
    const { lit, before } = visitors;
    const own = await pageTargets(visitors.app);
    const targetOf = (page: string) => own.get(page) ?? target;
    const [now, then] = [pageSide(lit.slots, lit.scope, targetOf), pageSide(before.slots, before.scope, targetOf)];
    const [nowBands, thenBands] = [bands(lit.slots, now), bands(before.slots, then)];
    const part = worstVisits(lit.slots, lit.scope, { counts: visitors.counts.before, ready: then.whole.ready });
    const litFacets = { facets: facetSums(lit.slots, now.rows), ready: now.whole.ready };
    const beforeFacets = { facets: facetSums(before.slots, then.rows), ready: then.whole.ready };
    const facets = FACETS.filter((facet) => facet !== 'app')
      .map((facet) => {
        const values = facetValues(facet, litFacets, beforeFacets);
        const best = values.reduce((a, b) => (b.explains > a.explains ? b : a), { explains: 0, value: '' });
        return { facet, explains: Math.min(1, best.explains), by: best.value, values: values.slice(0, MOST_VALUES) };
      })
      .filter(({ values }) => values.some(({ value }) => value !== ''));
    const telling = facets.find(({ facet }) => facet === 'version') ?? facets[0];
    const lines = telling?.values.slice(0, MOST_LINES).map(({ value }) => value) ?? [];
    const series = (side: typeof lit) =>
      telling ? readyOverTime(side.slots, side.scope, telling.facet, lines, BINS) : new Map<string, number[]>();
    const [litLines, beforeLines] = [series(lit), series(before)];
    const empty = new PageSum();
    const seen = [...new Set([...now.pages.keys(), ...then.pages.keys()])];
    return {
      ...describeVisitors(visitors),
      target,
      ownTargets: seen.filter((page) => own.has(page)).length,
      whole: { lit: describe(now.whole, nowBands.whole), before: describe(then.whole, thenBands.whole) },
      worst: part ? describePart(visitors, part, targetOf) : null,
      pages: seen
        .map((page) => {
          const [a, b] = [now.pages.get(page), then.pages.get(page)];
          return {
            page,
            lit: describe(a ?? empty, nowBands.pages.get(page)),
            before: describe(b ?? empty, thenBands.pages.get(page)),
            ownTarget: own.get(page) ?? null,
            extraMs: a && b && b.ready.total > 0 ? Math.max(0, a.ready.mean - b.ready.mean) * a.ready.total || 0 : 0,
          };
        })
        .sort((a, b) => b.extraMs - a.extraMs || b.lit.views - a.lit.views),
      ready: spreadOf(now, then, ({ ready }) => ready, logEdges(100, 60_000, 60)),
      inp: spreadOf(now, then, ({ vitals }) => vitals.INP, logEdges(10, 5_000, 28)),
      cls: spreadOf(
        now,
        then,
        ({ vitals }) => vitals.CLS,
        Array.from({ length: 28 }, (_, at) => (at + 1) * 12),
      ),
      facets: facets.map(({ values, ...it }) => ({
        ...it,
        values: values.map((value) => ({
          ...value,
          litP75: known(value.litP75),
          beforeP75: known(value.beforeP75),
          firstMs: known(value.firstMs),
        })),
      })),
      overTime: {
        facet: telling?.facet ?? '',
        lines: lines.map((value) => ({
          value,
          lit: (litLines.get(value) ?? []).map(known),
          before: (beforeLines.get(value) ?? []).map(known),
        })),
      },
      elements: struggledElements(lit.slots, lit.scope),
    };
  },
});

function describePart({ lit, app }: Visitors, part: VisitPart, target: Target) {
  const scope = { ...lit.scope, ...part };
  const side = pageSide(lit.slots, scope, target);
  return {
    from: part.fromMs,
    to: part.toMs,
    lit: describe(side.whole, bands(lit.slots, side).whole),
    counts: appsIn(lit.slots, scope).get(app) ?? noVisits(),
  };
}

function known(value: number): number | null {
  return Number.isFinite(value) ? value : null;
}

function describe(sum: PageSum, band?: Band): Figures {
  const { ready } = sum;
  return {
    views: sum.views,
    ready: { p75: known(ready.quantile(0.75)), p95: known(ready.quantile(0.95)), mean: known(ready.mean), loads: ready.total },
    vitals: Object.fromEntries(
      VITAL_NAMES.flatMap((name) => {
        const counts = sum.vitals[name];
        if (!counts || counts.total === 0) return [];
        const [good, poor] = VITALS[name];
        const views = counts.total;
        return [
          [name, { p75: counts.quantile(0.75), views, good: counts.upTo(good) / views, poor: 1 - counts.upTo(poor) / views }],
        ];
      }),
    ),
    apdex: known(apdexOf({ satisfied: sum.satisfied, tolerated: sum.tolerated, all: ready.total })),
    satisfied: sum.satisfied,
    tolerated: sum.tolerated,
    left: sum.left,
    errors: sum.errors,
    signs: sum.signs,
    band: {
      loads: band?.loads ?? 0,
      readyMs: (band?.readyUs ?? 0) / 1_000,
      phases: Object.fromEntries(PHASES.map((phase) => [phase, (band?.phases[phase] ?? 0) / 1_000])) as Figures['band']['phases'],
      party: band?.party ?? '',
      script: band?.script ?? '',
      partyMs: (band?.partyUs ?? 0) / 1_000,
    },
  };
}

function spreadOf(lit: PageSide, before: PageSide, of: (sum: PageSum) => ValueCounts | undefined, edges: number[]) {
  const counts = (side: PageSide) => of(side.whole)?.between(edges) ?? new Array<number>(edges.length + 1).fill(0);
  return { edges, lit: counts(lit), before: counts(before) };
}

function logEdges(from: number, to: number, bins: number): number[] {
  return Array.from({ length: bins + 1 }, (_, at) => Math.round(from * (to / from) ** (at / bins)));
}
