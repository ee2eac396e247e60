import { z } from 'zod';
import { extremesOf, type VisitHour, VisitHours } from '../../core/visits/figures/visitHours.ts';
import { narrowed } from '../../core/visits/slotVisits.ts';
import { expectReadings } from '../../store/scope/progress.ts';
import { visitsBetween } from '../../store/visits/visitsBetween.ts';
import { endpoint } from '../endpoint.ts';
import { scopeOf, visitorParameters, visitorsOf } from './visitsOf.ts';

export type VisitorHours = z.output<typeof visitorHours.answer>;

const DAY_NS = 86_400_000_000_000n;
/** How far back it is looked. */
const DAYS = 7;

const hour = z.object({
  from: z.number().meta({ description: 'Epoch milliseconds; the hour ends 3 600 000 later.' }),
  loads: z.int(),
  p75: z.number().meta({ description: 'Milliseconds until ready.' }),
});

export const visitorHours = endpoint({
  path: '/api/visitors/hours',
  least: 'reader',
  summary:
    'The best and the worst hour of the week up to the end of the lit window, by how long pages took until they were ready.',
  runs: 'analysis',
  query: z.strictObject(visitorParameters),
  answer: z.object({
    app: z.string(),
    hours: z.int().meta({ description: 'Full hours with enough loads to say something.' }),
    since: z.number().nullable().meta({ description: 'When the first of them began, epoch milliseconds.' }),
    extremes: z
      .object({ best: hour, worst: hour, median: z.number().meta({ description: 'What half of the hours lay under.' }) })
      .nullable()
      .meta({ description: 'null where the hours are too few.' }),
  }),
  run: async (query, { signal }) => {
    expectReadings(DAYS + 2);
    const { lit, app, conditions } = await visitorsOf(query);
    const { to } = lit.window;
    const from = to - BigInt(DAYS) * DAY_NS;
    const hours = new VisitHours(Number(from) / 1e6, Number(to) / 1e6);
    // Day by day: a week of visits need not be in memory at once.
    for (let day = from; day < to; day += DAY_NS) {
      signal?.throwIfAborted();
      const end = day + DAY_NS;
      hours.add(
        narrowed(await visitsBetween(day, end, 'views'), conditions),
        scopeOf({ ...lit.window, from: day, to: end }, conditions),
      );
    }
    const known = hours.hours();
    const extremes = extremesOf(known);
    return {
      app,
      hours: known.length,
      since: known[0]?.fromMs ?? null,
      extremes: extremes ? { best: described(extremes.best), worst: described(extremes.worst), median: extremes.median } : null,
    };
  },
});

function described({ fromMs, loads, p75 }: VisitHour): z.output<typeof hour> {
  return { from: fromMs, loads, p75 };
}
