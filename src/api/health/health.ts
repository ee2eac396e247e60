import { z } from 'zod';
import packageJson from '../../../package.json' with { type: 'json' };
import { loopDelay } from '../../server/life/eventLoop.ts';
import { isDatabaseUnavailable } from '../../store/database/connection.ts';
import { spanCount } from '../../store/traces/spanCount.ts';
import { endpoint } from '../endpoint.ts';

const answer = z.object({
  status: z.enum(['ok', 'database unavailable']),
  version: z.string(),
  database: z.enum(['up', 'down']),
  spans: z.int().nullable(),
  eventLoop: z
    .object({ p99Ms: z.number(), maxMs: z.number() })
    .nullable()
    .meta({ description: 'How long the process that answers was blocked, over the last whole minute; null in the first one.' }),
});

export const health = endpoint({
  path: '/api/health',
  least: 'reader',
  summary: 'Whether the application and its database work, and how many spans are stored.',
  query: z.object({}),
  answer,
  status: ({ status }) => (status === 'ok' ? 200 : 503),
  run: async (): Promise<z.output<typeof answer>> => {
    const { version } = packageJson;
    try {
      return { status: 'ok', version, database: 'up', spans: await spanCount(), eventLoop: loopDelay() };
    } catch (error) {
      if (!isDatabaseUnavailable(error)) throw error;
      return { status: 'database unavailable', version, database: 'down', spans: null, eventLoop: loopDelay() };
    }
  },
});
