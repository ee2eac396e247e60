import { z } from 'zod';
import { nearestRequest } from '../../store/requests/nearestRequest.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { filterParameters, traceFilter } from '../parameters.ts';

export const nearest = endpoint({
  path: '/api/traces/nearest',
  least: 'reader',
  summary:
    'Of the traces that a filter leaves the one whose duration is nearest to one: the example behind a place in a picture.',
  runs: 'analysis',
  query: z.strictObject({
    ...filterParameters,
    durationNs: z.coerce.number({ error: 'a number of nanoseconds over 0 is expected' }).positive().max(Number.MAX_SAFE_INTEGER),
  }),
  answer: z.object({ traceId: z.string() }),
  run: async ({ durationNs, ...query }) => {
    const traceId = await nearestRequest(traceFilter(query), durationNs);
    if (!traceId) throw new ApiError(404, 'No trace is left to choose from.');
    return { traceId };
  },
});
