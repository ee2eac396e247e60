import { z } from 'zod';
import { ENVIRONMENT } from '../../core/accounts/environment.ts';
import { valuesOf } from '../../store/dictionaries/facets.ts';
import { endpoint } from '../endpoint.ts';

export const environments = endpoint({
  path: '/api/environments',
  least: 'reader',
  summary: 'The environments that requests have come from: the values of deployment.environment.name.',
  query: z.strictObject({}),
  answer: z.object({ environments: z.array(z.string()) }),
  run: async () => ({ environments: await valuesOf(ENVIRONMENT) }),
});
