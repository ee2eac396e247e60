import { z } from 'zod';
import { formatIso } from '../../core/time/iso.ts';
import { storedTime } from '../../store/rollups/requestSeries.ts';
import { endpoint } from '../endpoint.ts';

export const stored = endpoint({
  path: '/api/requests/stored',
  least: 'reader',
  summary: 'From when to when requests are kept.',
  query: z.strictObject({}),
  answer: z.object({
    kept: z
      .object({ from: z.string(), to: z.string() })
      .nullable()
      .meta({ description: 'First and last start of all stored requests; null when there is none.' }),
  }),
  run: async () => {
    const kept = await storedTime();
    return { kept: kept && { from: formatIso(kept.from), to: formatIso(kept.to) } };
  },
});
