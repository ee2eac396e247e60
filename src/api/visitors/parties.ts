import { z } from 'zod';
import { type PartyFigures, partyFigures } from '../../core/visits/figures/partyFigures.ts';
import { endpoint } from '../endpoint.ts';
import { describeVisitors, visitorParameters, visitorsAnswer, visitorsOf } from './visitsOf.ts';

export type VisitorParties = z.output<typeof visitorParties.answer>;

const BINS = 48;

const figures = z.object({
  views: z.int(),
  requests: z.int(),
  failed: z.int(),
  bytes: z.number(),
  requestP75: z.number().nullable().meta({ description: 'Milliseconds of its requests in a view.' }),
  heldP75: z.number().nullable().meta({ description: 'Milliseconds of the load that waited for it.' }),
  heldMean: z.number().nullable(),
  busyMean: z.number(),
  heldViews: z.int(),
  pages: z.array(z.tuple([z.string(), z.int(), z.number()])),
  overTime: z.array(z.number().nullable()),
});

export const visitorParties = endpoint({
  path: '/api/visitors/parties',
  least: 'reader',
  summary:
    'Third parties that pages ask: requests, bytes, failures, and what of the page loads waited for each, lit against before.',
  runs: 'analysis',
  query: z.strictObject(visitorParameters),
  answer: z.object({
    ...visitorsAnswer,
    parties: z.array(z.object({ party: z.string(), lit: figures.nullable(), before: figures.nullable() })),
  }),
  run: async (query) => {
    const visitors = await visitorsOf(query, 'views');
    const [now, then] = [visitors.lit, visitors.before].map(({ slots, scope }) => partyFigures(slots, scope, BINS));
    return {
      ...describeVisitors(visitors),
      parties: [...new Set([...now, ...then].map(({ party }) => party))].map((party) => ({
        party,
        lit: describe(now.find((it) => it.party === party)),
        before: describe(then.find((it) => it.party === party)),
      })),
    };
  },
});

function describe(it: PartyFigures | undefined): z.output<typeof figures> | null {
  if (!it) return null;
  const { party: _, requestP75, heldP75, heldMean, pages, overTime, ...rest } = it;
  const known = (value: number) => (Number.isFinite(value) ? value : null);
  return {
    ...rest,
    requestP75: known(requestP75),
    heldP75: known(heldP75),
    heldMean: known(heldMean),
    pages: pages.map(([page, views, held]): [string, number, number] => [page, views, held]),
    overTime: overTime.map(known),
  };
}
