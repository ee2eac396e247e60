import { z } from 'zod';
import { areAccountsOn } from '../../server/accounts/accountsOn.ts';
import { currentRequest, whoAsks } from '../../server/requests/requestContext.ts';
import { hasAdministrator } from '../../store/accounts/people.ts';
import { readProvider } from '../../store/accounts/provider.ts';
import { endpoint } from '../endpoint.ts';

export const signInWays = endpoint({
  path: '/api/sign-in',
  least: 'anyone',
  summary: 'How one comes in here, as the page for it says before anybody is known.',
  query: z.strictObject({}),
  answer: z.object({
    isIn: z.boolean().meta({ description: 'Whether the one who asks is in already, or need not be.' }),
    provider: z.string().nullable().meta({ description: 'The name of the provider that people may sign in with.' }),
    isNew: z.boolean().meta({ description: 'Whether nobody has an account yet.' }),
  }),
  run: async () => {
    const context = currentRequest();
    const isIn = !areAccountsOn() || !context || (await whoAsks(context)) !== undefined;
    const [provider, isAdministered] = await Promise.all([readProvider(), hasAdministrator()]);
    return { isIn, provider: provider?.name ?? null, isNew: !isAdministered };
  },
});
