import { z } from 'zod';
import { renewSignIn } from '../../server/accounts/signIn.ts';
import { providerSchema, readProvider, writeProvider } from '../../store/accounts/provider.ts';
import { ApiError, endpoint } from '../endpoint.ts';

const { clientSecret, ...shown } = providerSchema.shape;
const answer = z.object({ provider: z.object(shown).nullable(), redirect: z.string() });
export type SignInProvider = z.output<typeof answer>;

/** Where the provider sends people back to, as it has to be told. */
const redirectAddress = () => `${process.env.DUSK_ADDRESS ?? ''}/api/account/callback/company`;

async function described(): Promise<SignInProvider> {
  const kept = await readProvider();
  const redirect = redirectAddress();
  if (!kept) return { provider: null, redirect };
  const { clientSecret: _, ...provider } = kept;
  return { provider, redirect };
}

export const signInProvider = endpoint({
  path: '/api/people/provider',
  least: 'administrator',
  summary: 'The OpenID Connect provider that people sign in with. Its secret is never given out.',
  query: z.strictObject({}),
  answer,
  run: described,
});

export const setSignInProvider = endpoint({
  method: 'PUT',
  path: '/api/people/provider',
  least: 'administrator',
  summary: 'Sets the provider that people sign in with, or ends that. Without a secret the one that is kept stays.',
  query: z.strictObject({ provider: z.object({ ...shown, clientSecret: clientSecret.optional() }).nullable() }),
  answer,
  run: async ({ provider }) => {
    if (!provider) await writeProvider(null);
    else {
      const secret = provider.clientSecret ?? (await readProvider())?.clientSecret;
      if (!secret) throw new ApiError(400, 'provider.clientSecret: say the secret that the provider gave you');
      await writeProvider({ ...provider, clientSecret: secret });
    }
    renewSignIn();
    return described();
  },
});
