import { database } from '../database/connection.ts';
import { accountCredential, accountSession, accountTwoFactor, accountUser, accountVerification } from '../schema/index.ts';

/** Where the library for sign-in keeps people, their sessions and credentials. */
export async function signInStore() {
  const { drizzleAdapter } = await import('better-auth/adapters/drizzle');
  return drizzleAdapter(database(), {
    provider: 'pg',
    schema: {
      user: accountUser,
      session: accountSession,
      account: accountCredential,
      verification: accountVerification,
      twoFactor: accountTwoFactor,
    },
  });
}
