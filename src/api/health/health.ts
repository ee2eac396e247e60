import { z } from 'zod';
import packageJson from '../../../package.json' with { type: 'json' };
import { isDatabaseUnavailable } from '../../store/database/connection.ts';
import { spanCount } from '../../store/traces/spanCount.ts';
import { endpoint } from '../endpoint.ts';

const answer = z.object({
  status: z.enum(['ok', 'database unavailable']),
  version: z.string(),
  database: z.enum(['up', 'down']),
  spans: z.int().nullable(),
});

export const health = endpoint({
  path: '/api/health',
  summary: 'Whether the application and its database work, and how many spans are stored.',
  query: z.object({}),
  answer,
  status: ({ status }) => (status === 'ok' ? 200 : 503),
  run: async (): Promise<z.output<typeof answer>> => {
    const { version } = packageJson;
    try {
      return { status: 'ok', version, database: 'up', spans: await spanCount() };
    } catch (error) {
      if (!isDatabaseUnavailable(error)) throw error;
      return { status: 'database unavailable', version, database: 'down', spans: null };
    }
  },
});
