import { z } from 'zod';
import { rebuildColumns } from '../../store/columns/slots.ts';
import { endpoint } from '../endpoint.ts';

export const reindex = endpoint({
  method: 'POST',
  path: '/api/intake/reindex',
  summary:
    'Builds the columns of all requests anew from their spans, in the background. Pages stay right meanwhile, but are slower.',
  query: z.strictObject({}),
  answer: z.object({ slots: z.int().meta({ description: 'Stretches of ten minutes whose columns are built.' }) }),
  run: async () => ({
    slots: (await rebuildColumns('request')) + (await rebuildColumns('log')) + (await rebuildColumns('session')),
  }),
});
