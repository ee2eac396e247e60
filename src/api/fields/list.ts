import { z } from 'zod';
import { requestFields } from '../../store/requests/requestFields.ts';
import { endpoint } from '../endpoint.ts';
import { filterParameters, traceFilter } from '../parameters.ts';

export type FieldList = z.output<typeof fields.answer>;

export const fields = endpoint({
  path: '/api/fields',
  least: 'reader',
  summary: 'Attributes by which the requests that a filter leaves can be narrowed further, with their values and counts.',
  runs: 'analysis',
  query: z.strictObject(filterParameters),
  answer: z.object({
    traces: z.int().meta({ description: 'How many requests the filter leaves.' }),
    fields: z.array(
      z.object({
        field: z.string(),
        values: z.array(z.object({ value: z.string(), count: z.int() })),
        distinct: z.int(),
        many: z.boolean().meta({ description: 'Whether it has too many values to count them all.' }),
      }),
    ),
  }),
  run: async (query) => {
    const { traces, fields } = await requestFields(traceFilter(query));
    return { traces, fields: fields.map((it) => ({ ...it, values: [...it.values] })) };
  },
});
