import { z } from 'zod';
import { appsIn, noVisits } from '../../core/visits/figures/appsIn.ts';
import { pageSide } from '../../core/visits/figures/pageFigures.ts';
import { glanceAt, worstVisits } from '../../core/visits/figures/worstPart.ts';
import { narrowed, type VisitScope } from '../../core/visits/slotVisits.ts';
import { visitsBetween } from '../../store/visits/visitsBetween.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';

export type VisitorApps = z.output<typeof visitorApps.answer>;

const MOST_APPS = 6;
const TARGET_MS = 2_000;

const figures = z.object({
  visits: z.int(),
  struggling: z.int(),
  crashed: z.int().meta({ description: 'Visits with a crash.' }),
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
    apps: z.array(
      z.object({
        app: z.string(),
        lit: figures,
        before: figures,
        worst: z
          .object({ from: z.number(), to: z.number(), ...figures.shape })
          .nullable()
          .meta({
            description:
              'When it was worst, epoch milliseconds, and what the visits came to then, where that is a part of a long window.',
          }),
      }),
    ),
  }),
  run: async (query) => {
    const { lit, before } = await windowsOf(query);
    const [now, then] = [await sideOf(lit), await sideOf(before)];
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      apps: [...now.counts.keys()].slice(0, MOST_APPS).map((app) => {
        const [own, former] = [now.of(app), then.of(app)];
        const part = worstVisits(own.slots, now.scope, former);
        const worst = part && now.of(app, { ...now.scope, ...part });
        return {
          app,
          lit: glanceAt(own.counts, own.ready),
          before: glanceAt(former.counts, former.ready),
          worst: part && worst ? { from: part.fromMs, to: part.toMs, ...glanceAt(worst.counts, worst.ready) } : null,
        };
      }),
    };
  },
});

async function sideOf({ from, to }: { readonly from: bigint; readonly to: bigint }) {
  const scope: VisitScope = { fromMs: Number(from) / 1e6, toMs: Number(to) / 1e6, conditions: [] };
  const read = await visitsBetween(from, to, 'views');
  const all = narrowed(read, []);
  const counts = appsIn(all, scope);
  return {
    scope,
    counts,
    /** @param part all of the window by default */
    of: (app: string, part = scope) => {
      const slots = narrowed(read, [{ field: 'app', values: [app], not: false }]);
      return {
        slots,
        counts: (part === scope ? counts : appsIn(all, part)).get(app) ?? noVisits(),
        ready: pageSide(slots, part, TARGET_MS).whole.ready,
      };
    },
  };
}
