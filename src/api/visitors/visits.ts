import { z } from 'zod';
import { VISIT_ORDERS, visitRows } from '../../core/visits/figures/visitRows.ts';
import { SIGNS } from '../../core/visits/struggle.ts';
import { FACETS } from '../../core/visits/visitColumns.ts';
import { endpoint } from '../endpoint.ts';
import { describeVisitors, visitorParameters, visitorsAnswer, visitorsOf } from './visitsOf.ts';

export type VisitorVisits = z.output<typeof visitorVisits.answer>;

const MOST = 200;
/** Quantiles of the waiting that are given, evenly. */
const QUANTILES = 101;

export const visitorVisits = endpoint({
  path: '/api/visitors/visits',
  least: 'reader',
  summary:
    'Visits that began in the lit window, narrowed, in an order: where they struggled most, waited longest, or the latest first.',
  runs: 'analysis',
  query: z.strictObject({ ...visitorParameters, order: z.enum(VISIT_ORDERS).default('struggle') }),
  answer: z.object({
    ...visitorsAnswer,
    order: z.enum(VISIT_ORDERS),
    total: z.int(),
    visits: z.array(
      z.object({
        session: z.string(),
        facets: z.record(z.enum(FACETS), z.string()),
        user: z.string(),
        at: z.number(),
        lastedMs: z.number(),
        waitedMs: z.number(),
        views: z.int(),
        actions: z.int(),
        errors: z.int(),
        crashes: z.int(),
        signs: z.record(z.enum(SIGNS), z.int()),
      }),
    ),
    waited: z.array(z.number()).meta({ description: 'Milliseconds that visits waited at evenly spaced quantiles, 0 to 100 %.' }),
  }),
  run: async ({ order, ...query }) => {
    const visitors = await visitorsOf(query);
    const { lit } = visitors;
    const { total, rows, waited } = visitRows(lit.slots, lit.scope, order, MOST);
    return {
      ...describeVisitors(visitors),
      order,
      total,
      visits: rows.map((it) => ({ ...it, facets: { ...it.facets }, signs: { ...it.signs } })),
      waited:
        waited.length === 0
          ? []
          : Array.from({ length: QUANTILES }, (_, at) => waited[Math.round((at / (QUANTILES - 1)) * (waited.length - 1))]),
    };
  },
});
