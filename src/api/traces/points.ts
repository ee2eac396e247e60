import { z } from 'zod';
import { requestPoints } from '../../store/requests/requestPoints.ts';
import { endpoint } from '../endpoint.ts';
import { filterParameters, traceFilter, wholeNumber } from '../parameters.ts';

export type TracePoints = z.output<typeof points.answer>;

export const points = endpoint({
  path: '/api/traces/points',
  least: 'reader',
  summary:
    'Traces that a filter leaves as points of time and duration; of too many, the slowest, and a sample of the others by duration and outcome.',
  runs: 'analysis',
  query: z.strictObject({ ...filterParameters, most: wholeNumber(100, 20_000, 4000) }),
  answer: z.object({
    total: z.int(),
    traceId: z.array(z.string()),
    startMs: z.array(z.number()).meta({ description: 'Epoch milliseconds.' }),
    durationNs: z.array(z.number()),
    outcome: z.array(z.int()).meta({ description: '0 fine, 1 with a failure inside, 2 failed.' }),
  }),
  run: async ({ most, ...query }) => {
    const { startNs, ...rest } = await requestPoints(traceFilter(query), most);
    return { ...rest, startMs: startNs.map((ns) => Number(ns / 1000n) / 1000) };
  },
});
