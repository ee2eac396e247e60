import { z } from 'zod';
import { secondAt } from '../../store/databases/sampledSeconds.ts';
import { endpoint } from '../endpoint.ts';
import { isoTime } from '../parameters.ts';
import { describeMoment, momentAnswer } from './moment.ts';

export type DatabaseSessions = z.output<typeof databaseSessions.answer>;

export const databaseSessions = endpoint({
  path: '/api/databases/{name}/sessions',
  least: 'reader',
  summary: 'The sessions of a database server at one moment, and who waits for whom: the last sampled second at or before it.',
  query: z.strictObject({ name: z.string(), at: isoTime.optional().meta({ description: 'Now by default.' }) }),
  answer: z.object({
    moment: momentAnswer.nullable().meta({ description: 'Null when nothing was sampled in the ten minutes before.' }),
  }),
  run: async ({ name, at = BigInt(Date.now()) * 1_000_000n }) => {
    const second = await secondAt(name, at);
    return { moment: second ? await describeMoment(second) : null };
  },
});
