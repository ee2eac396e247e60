import { z } from 'zod';
import { appsIn, noVisits } from '../../core/visits/figures/appsIn.ts';
import { pageSide } from '../../core/visits/figures/pageFigures.ts';
import { narrowed } from '../../core/visits/slotVisits.ts';
import { visitsBetween } from '../../store/visits/visitsBetween.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';

export type VisitorApps = z.output<typeof visitorApps.answer>;

const MOST_APPS = 6;
const TARGET_MS = 2_000;

const figures = z.object({
  visits: z.int(),
  struggling: z.int(),
  crashes: z.int(),
  p75: z.number().nullable().meta({ description: 'Until pages were ready, milliseconds.' }),
  loads: z.int(),
});

export const visitorApps = endpoint({
  path: '/api/visitors/apps',
  least: 'reader',
  summary:
    'Applications of visitors at a glance, lit against before: visits, how many struggle or crash, and until pages are ready.',
  runs: 'analysis',
  query: z.strictObject(comparisonParameters),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    apps: z.array(z.object({ app: z.string(), lit: figures, before: figures })),
  }),
  run: async (query) => {
    const { lit, before } = await windowsOf(query);
    const [now, then] = [await sideOf(lit), await sideOf(before)];
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      apps: [...now.counts.keys()].slice(0, MOST_APPS).map((app) => ({ app, lit: now.of(app), before: then.of(app) })),
    };
  },
});

async function sideOf({ from, to }: { readonly from: bigint; readonly to: bigint }) {
  const scope = { fromMs: Number(from) / 1e6, toMs: Number(to) / 1e6, conditions: [] };
  const slots = await visitsBetween(from, to, 'views');
  const counts = appsIn(narrowed(slots, []), scope);
  return {
    counts,
    of: (app: string): z.output<typeof figures> => {
      const { visits, struggling, crashes } = counts.get(app) ?? noVisits();
      const { ready } = pageSide(narrowed(slots, [{ field: 'app', values: [app], not: false }]), scope, TARGET_MS).whole;
      const p75 = ready.quantile(0.75);
      return { visits, struggling, crashes, p75: Number.isFinite(p75) ? p75 : null, loads: ready.total };
    },
  };
}
