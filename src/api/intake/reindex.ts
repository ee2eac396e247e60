import { z } from 'zod';
import { rebuildColumns, SLOT_SUBJECTS } from '../../store/columns/slots.ts';
import { endpoint } from '../endpoint.ts';

export const reindex = endpoint({
  method: 'POST',
  path: '/api/intake/reindex',
  least: 'administrator',
  summary:
    'Builds the columns of all requests anew from their spans, in the background. Pages stay right meanwhile, but are slower.',
  query: z.strictObject({}),
  answer: z.object({ slots: z.int().meta({ description: 'Stretches of ten minutes whose columns are built.' }) }),
  run: async () => {
    let slots = 0;
    for (const subject of SLOT_SUBJECTS) slots += await rebuildColumns(subject);
    return { slots };
  },
});
