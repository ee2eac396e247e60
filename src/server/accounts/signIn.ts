import { randomBytes } from 'node:crypto';
import { keepNewestSessions, personOf } from '../../store/accounts/people.ts';
import { readProvider } from '../../store/accounts/provider.ts';
import { signInStore } from '../../store/accounts/signInStore.ts';
import { errorText } from '../requests/errorText.ts';
import { Tries } from './tries.ts';

/** Where the library's own requests lie. */
export const ACCOUNT_PATH = '/api/account';
/** How the provider of the company is called in addresses. */
export const PROVIDER_ID = 'company';
/** The header by which the library is told from where somebody comes; whatever comes from outside under this name is dropped. */
export const ADDRESS_HEADER = 'x-lantern-address';

export const SHORTEST_PASSWORD = 12;
export const LONGEST_PASSWORD = 128;
const HOUR_S = 3_600;

/** How often an address may try. */
const tries = new Tries();

type SignIn = Awaited<ReturnType<typeof newSignIn>>;
let current: Promise<SignIn> | undefined;

/** The library for sign-in, set up by what was decided about the provider. */
export function signIn(): Promise<SignIn> {
  current ??= newSignIn().catch((error) => {
    current = undefined;
    throw error;
  });
  return current;
}

/** Something was decided about the provider: it is set up anew. */
export function renewSignIn(): void {
  current = undefined;
}

async function newSignIn() {
  // Loaded when somebody signs in: it takes longer to load than all the rest, and most processes never need it.
  const [{ betterAuth }, { genericOAuth }, { twoFactor }, store, provider] = await Promise.all([
    import('better-auth'),
    import('better-auth/plugins/generic-oauth'),
    import('better-auth/plugins/two-factor'),
    signInStore(),
    readProvider(),
  ]);
  const isSecure = process.env.DUSK_SECURE === '1';
  return betterAuth({
    appName: 'Dusk Lantern',
    // Each request says where it came to; the host was held against the allowed names before.
    baseURL: process.env.DUSK_ADDRESS,
    basePath: ACCOUNT_PATH,
    trustedOrigins: (request) => (request ? [originOf(request, isSecure)] : []),
    secret: process.env.DUSK_SECRET ?? randomBytes(32).toString('base64url'),
    database: store,
    telemetry: { enabled: false },
    logger: { log: (level, message) => level === 'error' && console.error(`sign-in: ${message}`) },
    emailAndPassword: {
      enabled: true,
      // Nobody makes an account for themselves: an administrator invites them.
      disableSignUp: true,
      minPasswordLength: SHORTEST_PASSWORD,
      maxPasswordLength: LONGEST_PASSWORD,
    },
    account: {
      // An account here is the provider's too when the provider says that the address of mail was verified.
      accountLinking: { enabled: true },
      encryptOAuthTokens: true,
    },
    user: {
      additionalFields: {
        role: { type: 'string', input: false, defaultValue: 'reader' },
        disabledAt: { type: 'date', input: false, required: false },
      },
    },
    // A shift is no longer than that; who works on signs in again.
    session: { expiresIn: 12 * HOUR_S, disableSessionRefresh: true, freshAge: 600 },
    rateLimit: {
      enabled: true,
      window: 60,
      max: 120,
      customRules: {
        '/sign-in/email': { window: 60, max: 20 },
        '/sign-in/social': { window: 60, max: 30 },
        '/two-factor/verify-totp': { window: 60, max: 6 },
        '/two-factor/verify-backup-code': { window: 60, max: 6 },
        '/change-password': { window: 60, max: 6 },
      },
      customStorage: {
        consume: async (key, rule) => {
          const seconds = tries.take(key, rule);
          return { allowed: seconds === 0, retryAfter: seconds || null };
        },
      },
    },
    advanced: {
      cookiePrefix: 'lantern',
      useSecureCookies: isSecure,
      defaultCookieAttributes: { httpOnly: true, sameSite: 'lax', secure: isSecure, path: '/' },
      ipAddress: { ipAddressHeaders: [ADDRESS_HEADER] },
    },
    databaseHooks: {
      session: {
        create: {
          // Who was shut out does not come in by any way.
          before: async ({ userId }) => {
            const person = await personOf(userId);
            if (!person || person.disabled) return false;
          },
          after: async ({ userId }) => keepNewestSessions(userId),
        },
      },
    },
    plugins: [
      twoFactor({ issuer: 'Dusk Lantern', twoFactorCookieMaxAge: 300 }),
      genericOAuth({
        config: provider
          ? [
              {
                providerId: PROVIDER_ID,
                clientId: provider.clientId,
                clientSecret: provider.clientSecret,
                discoveryUrl: `${provider.issuer.replace(/\/+$/, '')}/.well-known/openid-configuration`,
                scopes: ['openid', 'profile', 'email'],
                pkce: true,
                disableImplicitSignUp: !provider.admitsAll,
              },
            ]
          : [],
      }),
    ],
  });
}

/** Where a request came to, as its host says. */
function originOf(request: Request, isSecure: boolean): string {
  return `${isSecure ? 'https' : 'http'}://${request.headers.get('host') ?? ''}`;
}

/** The session of a request's cookie, and the headers by which it is prolonged. Undefined without one that is good. */
export async function sessionOf(headers: Headers) {
  if (!/(^|[;\s])(__Secure-)?lantern\.session_token=/.test(headers.get('cookie') ?? '')) return undefined;
  const { api } = await signIn();
  const { headers: set, response } = await api.getSession({ headers, returnHeaders: true });
  return response ? { ...response, setCookies: set.getSetCookie() } : undefined;
}

/** Gives somebody an account with a password, or, who has one, a new password. @returns the id of the person */
export async function setPassword(
  it: { readonly email: string; readonly name: string; readonly role: string; readonly userId: string | null },
  password: string,
): Promise<string> {
  const { internalAdapter, password: of } = await (await signIn()).$context;
  const hash = await of.hash(password);
  const known = it.userId === null ? (await internalAdapter.findUserByEmail(it.email))?.user : { id: it.userId };
  if (known) {
    const ways = await internalAdapter.findAccounts(known.id);
    if (ways.some(({ providerId }) => providerId === 'credential')) await internalAdapter.updatePassword(known.id, hash);
    else await internalAdapter.linkAccount({ userId: known.id, providerId: 'credential', accountId: known.id, password: hash });
    return known.id;
  }
  const user = await internalAdapter.createUser(
    { email: it.email, name: it.name, role: it.role, emailVerified: true },
    { method: 'admin' },
  );
  await internalAdapter.linkAccount({ userId: user.id, providerId: 'credential', accountId: user.id, password: hash });
  return user.id;
}

/** Hands a request on to the library. @param address of the one who asks */
export async function passOn(request: Request, address: string): Promise<Response> {
  const headers = new Headers(request.headers);
  headers.set(ADDRESS_HEADER, address);
  try {
    const { handler } = await signIn();
    return await handler(new Request(request, { headers }));
  } catch (error) {
    console.error(errorText(error));
    return Response.json({ error: 'This could not be done now. Try again.' }, { status: 503 });
  }
}
