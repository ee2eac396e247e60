import { z } from 'zod';
import { requestOverview } from '../../store/requests/requestOverview.ts';
import { endpoint } from '../endpoint.ts';
import { filterParameters, traceFilter } from '../parameters.ts';

const nanos = z.number().nullable();
const named = z.object({ service: z.string(), name: z.string(), count: z.int(), failed: z.int(), p50Ns: nanos, p95Ns: nanos });

export type NamedFigures = z.output<typeof named>;
export type TraceOverview = z.output<typeof overview.answer>;

export const overview = endpoint({
  path: '/api/traces/overview',
  least: 'reader',
  summary: 'What the traces that a filter leaves look like: durations, and by what they can be narrowed.',
  runs: 'analysis',
  query: z.strictObject(filterParameters),
  answer: z.object({
    count: z.int(),
    failed: z.int(),
    p50Ns: nanos,
    p95Ns: nanos,
    p99Ns: nanos,
    maxNs: nanos,
    durations: z
      .array(z.object({ step: z.int(), count: z.int(), failed: z.int() }))
      .meta({ description: 'Counts by duration, from 2^(step/4) to 2^((step+1)/4) nanoseconds.' }),
    services: z.array(named).meta({ description: 'By each service that takes part.' }),
    entries: z.array(named).meta({ description: "By the root's name." }),
    operations: z.array(named).meta({ description: 'By the name of any span.' }),
  }),
  run: async (query) => {
    const { durations, services, entries, operations, ...figures } = await requestOverview(traceFilter(query));
    return { ...figures, durations: [...durations], services: [...services], entries: [...entries], operations: [...operations] };
  },
});
