import { group } from 'd3-array';
import { z } from 'zod';
import { type CheckFigures, checkFigures } from '../../core/visits/checkFigures.ts';
import { pageSide } from '../../core/visits/pageFigures.ts';
import { narrowed } from '../../core/visits/slotVisits.ts';
import { checkPicture, checkRuns } from '../../store/visits/checkRuns.ts';
import { visitsBetween } from '../../store/visits/visitsBetween.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { ApiError, endpoint } from '../endpoint.ts';

export type VisitorChecks = z.output<typeof visitorChecks.answer>;

const MOST_CHECKS = 100;
/** Runs of a check that are given one by one, the latest. */
const MOST_RUNS = 400;
const TARGET_MS = 2_000;

const figures = z.object({
  runs: z.int(),
  failed: z.int(),
  p50: z.number().nullable(),
  p95: z.number().nullable(),
  steps: z.array(z.object({ name: z.string(), p50: z.number().nullable(), failed: z.int() })),
});

export const visitorChecks = endpoint({
  path: '/api/visitors/checks',
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
          .object({ views: z.int(), p75: z.number().nullable(), beforeP75: z.number().nullable() })
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
      const [real, realBefore] = [nowPages.get(page), thenPages.get(page)];
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
        real: real
          ? {
              views: real.views,
              p75: known(real.ready.quantile(0.75)),
              beforeP75: known(realBefore?.ready.quantile(0.75) ?? Number.NaN),
            }
          : null,
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

async function pagesOf({ from, to }: { readonly from: bigint; readonly to: bigint }) {
  const scope = { fromMs: Number(from) / 1e6, toMs: Number(to) / 1e6, conditions: [] };
  return pageSide(narrowed(await visitsBetween(from, to, 'views'), []), scope, TARGET_MS).pages;
}

function describe({ p50, p95, steps, ...rest }: CheckFigures): z.output<typeof figures> {
  return { ...rest, p50: known(p50), p95: known(p95), steps: steps.map((it) => ({ ...it, p50: known(it.p50) })) };
}

function known(value: number): number | null {
  return Number.isFinite(value) ? value : null;
}

export const visitorCheckPicture = endpoint({
  path: '/api/visitors/checks/{name}/picture',
  summary: 'What the browser showed when a run of a check failed: a JPEG as base64.',
  query: z.strictObject({
    name: z.string().max(200),
    at: z.coerce.number().meta({ description: 'When the run began, epoch milliseconds.' }),
  }),
  answer: z.object({ jpeg: z.base64() }),
  run: async ({ name, at }) => {
    const jpeg = await checkPicture(name, at);
    if (!jpeg) throw new ApiError(404, 'No picture of this run is kept.');
    return { jpeg };
  },
});
