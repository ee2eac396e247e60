import { z } from 'zod';
import {
  watchedEnvironments,
  watchedEnvironmentsSchema,
  writeWatchedEnvironments,
} from '../../store/settings/watchedEnvironments.ts';
import { endpoint } from '../endpoint.ts';
import { forgetWatched } from './noteRaw.ts';

const answer = z.object({ environments: z.array(z.string()) });
export type Watched = z.output<typeof answer>;

export const listWatched = endpoint({
  path: '/api/audit/environments',
  least: 'administrator',
  summary: 'Environments of which it is written down who looks at records as they were sent.',
  query: z.strictObject({}),
  answer,
  run: async () => ({ environments: await watchedEnvironments() }),
});

export const setWatched = endpoint({
  method: 'PUT',
  path: '/api/audit/environments',
  least: 'administrator',
  summary: 'Says of which environments it is written down who looks at records as they were sent.',
  query: z.strictObject({ environments: watchedEnvironmentsSchema }),
  answer,
  run: async ({ environments }) => {
    await writeWatchedEnvironments(environments);
    forgetWatched();
    return { environments };
  },
});
