import { group } from 'd3-array';
import { z } from 'zod';
import { appsIn } from '../../core/visits/figures/appsIn.ts';
import { type CheckFigures, checkFigures } from '../../core/visits/figures/checkFigures.ts';
import { pageSide } from '../../core/visits/figures/pageFigures.ts';
import { narrowed } from '../../core/visits/slotVisits.ts';
import { checkPicture, checkRuns } from '../../store/visits/checkRuns.ts';
import { visitsBetween } from '../../store/visits/visitsBetween.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { momentMs } from '../parameters.ts';

export type VisitorChecks = z.output<typeof visitorChecks.answer>;

const MOST_CHECKS = 100;
/** Runs of a check that are given one by one, the latest. */
const MOST_RUNS = 400;
const TARGET_MS = 2_000;
/** Applications whose pages are looked through. */
const MOST_APPS = 20;

const figures = z.object({
  runs: z.int(),
  failed: z.int(),
  p50: z.number().nullable(),
  p95: z.number().nullable(),
  steps: z.array(z.object({ name: z.string(), p50: z.number().nullable(), failed: z.int() })),
});

export const visitorChecks = endpoint({
  path: '/api/visitors/checks',
  least: 'reader',
  summary:
    'Scripted checks of journeys and addresses: how often they went well and how long they took, lit against before, beside the real visitors of the same page.',
  runs: 'analysis',
  query: z.strictObject(comparisonParameters),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    checks: z.array(
      z.object({
        name: z.string(),
        kind: z.enum(['journey', 'address']),
        page: z.string(),
        places: z.array(z.string()),
        lit: figures,
        before: figures,
        runs: z.array(
          z.object({
            at: z.number(),
            ok: z.boolean(),
            ms: z.number(),
            place: z.string(),
            error: z.string(),
            steps: z.array(z.object({ name: z.string(), ms: z.number(), ok: z.boolean(), error: z.string() })),
            traceId: z.string(),
            picture: z.boolean(),
          }),
        ),
        real: z
          .object({ app: z.string(), views: z.int(), p75: z.number().nullable(), beforeP75: z.number().nullable() })
          .nullable()
          .meta({ description: 'Of visitors who opened the page that the check opens first: until it was ready.' }),
      }),
    ),
  }),
  run: async (query) => {
    const { lit, before } = await windowsOf(query);
    const [now, then] = await Promise.all([checkRuns(lit.from, lit.to), checkRuns(before.from, before.to)]);
    const earlier = group(then, ({ name }) => name);
    const [nowPages, thenPages] = [await pagesOf(lit), await pagesOf(before)];
    const found = [...group(now, ({ name }) => name)].map(([name, runs]) => {
      const [{ kind, page }] = runs;
      return {
        name,
        kind,
        page,
        places: [...new Set(runs.map(({ place }) => place))],
        lit: describe(checkFigures(runs)),
        before: describe(checkFigures(earlier.get(name) ?? [])),
        runs: runs.slice(-MOST_RUNS).map(({ at, ok, durationMs, place, error, steps, traceId, hasPicture }) => ({
          at,
          ok,
          ms: durationMs,
          place,
          error,
          steps: steps.map((it) => ({ ...it, error: it.error ?? '' })),
          traceId,
          picture: hasPicture,
        })),
        real: realOf(page, nowPages, thenPages),
      };
    });
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      checks: found
        .sort((a, b) => b.lit.failed / b.lit.runs - a.lit.failed / a.lit.runs || a.name.localeCompare(b.name, 'en'))
        .slice(0, MOST_CHECKS),
    };
  },
});

/** The pages of each application by its name: applications may call their pages alike. */
async function pagesOf({ from, to }: { readonly from: bigint; readonly to: bigint }) {
  const scope = { fromMs: Number(from) / 1e6, toMs: Number(to) / 1e6, conditions: [] };
  const slots = await visitsBetween(from, to, 'views');
  const apps = [...appsIn(narrowed(slots, []), scope).keys()].slice(0, MOST_APPS);
  return new Map(
    apps.map((app) => {
      const { pages } = pageSide(narrowed(slots, [{ field: 'app', values: [app], not: false }]), scope, TARGET_MS);
      return [app, new Map([...pages].map(([page, { views, ready }]) => [page, { views, p75: known(ready.quantile(0.75)) }]))];
    }),
  );
}

type AppPages = Awaited<ReturnType<typeof pagesOf>>;

/** Real visitors of a page, of the application in which it is seen most. */
function realOf(page: string, lit: AppPages, before: AppPages) {
  const [most] = [...lit]
    .flatMap(([app, pages]) => {
      const own = pages.get(page);
      return own ? [{ app, own }] : [];
    })
    .sort((a, b) => b.own.views - a.own.views);
  if (!most) return null;
  const then = before.get(most.app)?.get(page);
  return {
    app: most.app,
    views: most.own.views,
    p75: most.own.p75,
    beforeP75: then?.p75 ?? null,
  };
}

function describe({ p50, p95, steps, ...rest }: CheckFigures): z.output<typeof figures> {
  return { ...rest, p50: known(p50), p95: known(p95), steps: steps.map((it) => ({ ...it, p50: known(it.p50) })) };
}

function known(value: number): number | null {
  return Number.isFinite(value) ? value : null;
}

export const visitorCheckPicture = endpoint({
  path: '/api/visitors/checks/{name}/picture',
  least: 'reader',
  summary: 'What the browser showed when a run of a check failed: a JPEG as base64.',
  query: z.strictObject({
    name: z.string().max(200),
    at: momentMs.meta({ description: 'When the run began, epoch milliseconds.' }),
  }),
  answer: z.object({ jpeg: z.base64() }),
  run: async ({ name, at }) => {
    const jpeg = await checkPicture(name, at);
    if (!jpeg) throw new ApiError(404, 'No picture of this run is kept.');
    return { jpeg };
  },
});
