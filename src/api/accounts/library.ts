import { PoolBusy } from '../../analysis/pool.ts';
import { areAccountsOn } from '../../server/accounts/accountsOn.ts';
import { ACCOUNT_PATH, passOn, renewSignIn, sessionOf } from '../../server/accounts/signIn.ts';
import { Tries } from '../../server/accounts/tries.ts';
import { currentRequest } from '../../server/requests/requestContext.ts';
import { ApiError, type Asked, errorAnswer } from '../endpoint.ts';
import { passwordFault } from './join.ts';
import { noteDone } from './noteDone.ts';
import { pathWithin } from './pathWithin.ts';

/** No body of these is longer. */
const LONGEST_BODY = 8_192;

/** Tries for one address of mail, wherever they come from: few enough that guessing ends, forgotten soon enough that the person can come in. */
const ofEmail = new Tries();
const EMAIL_RULE = { window: 900, max: 15 };
/** Requests that the library works on at a time: a password takes a processor for a while. */
const MOST_AT_ONCE = 16;
let underWay = 0;
/** A provider that could not be reached is asked again after so long. */
const ASKED_AGAIN_MS = 30_000;
let renewed = 0;

/** Hands a request for sign-in on to the library, the way it came. Only what is registered comes here. */
export async function account({ request, url }: Asked): Promise<Response> {
  const address = currentRequest()?.address ?? '';
  const path = url.pathname.slice(ACCOUNT_PATH.length);
  let body: Record<string, unknown> = {};
  if (request.method !== 'GET') {
    if (request.headers.get('content-type')?.split(';')[0].trim().toLowerCase() !== 'application/json')
      return errorAnswer(new ApiError(400, 'the body must be application/json'));
    try {
      const text = await boundedText(request);
      body = text === '' ? {} : (JSON.parse(text) as Record<string, unknown>);
      if (typeof body !== 'object' || body === null || Array.isArray(body)) throw new SyntaxError();
    } catch {
      return errorAnswer(new ApiError(400, 'the body is not a JSON object'));
    }
  }
  if (!areAccountsOn()) return errorAnswer(new ApiError(404, 'There are no accounts here.'));
  const unknown = Object.keys(body).find((name) => !TAKEN[path]?.includes(name));
  if (unknown !== undefined) return errorAnswer(new ApiError(400, `${unknown.slice(0, 60)} is not asked for here`));
  const email = typeof body.email === 'string' ? body.email.trim().toLowerCase().slice(0, 200) : '';
  if (path === '/sign-in/email') {
    const seconds = ofEmail.take(email, EMAIL_RULE);
    if (seconds > 0) return errorAnswer(new ApiError(429, `Too many tries. Try again in ${Math.ceil(seconds / 60)} min.`));
  }
  const given = { ...body };
  if (path === '/change-password') {
    const fault = typeof given.newPassword === 'string' ? passwordFault(given.newPassword, '') : 'newPassword: a text';
    if (fault) return errorAnswer(new ApiError(400, fault));
    given.revokeOtherSessions = true;
  }
  if (path === '/sign-in/social') {
    // Back to a page of this application, whatever is asked for.
    const to = pathWithin(String(given.callbackURL ?? ''));
    given.callbackURL = to;
    given.errorCallbackURL = `/sign-in?to=${encodeURIComponent(to)}`;
  }
  if (underWay >= MOST_AT_ONCE) return errorAnswer(new PoolBusy('too many sign in at once'));
  underWay++;
  const response = await passOn(
    new Request(`${process.env.DUSK_ADDRESS ?? url.origin}${url.pathname}${url.search}`, {
      method: request.method,
      headers: request.headers,
      body: request.method === 'GET' ? undefined : JSON.stringify(given),
    }),
    address,
  ).finally(() => underWay--);
  if (path === '/sign-in/email' && response.ok) ofEmail.forget(email);
  const isFailure = response.status >= 400;
  // The way back from the provider leads on to a page in either case.
  const isRefused = isFailure || /[?&]error=/.test(response.headers.get('location') ?? '');
  if (path === '/sign-in/social') {
    if (isFailure && Date.now() - renewed > ASKED_AGAIN_MS) {
      renewed = Date.now();
      renewSignIn();
    }
  } else {
    const who = await whoCameIn(response);
    // With a second factor to come, nobody is in yet.
    const isHalf = path === '/sign-in/email' && response.ok && !who;
    const action = isHalf ? 'gave the password' : (WORDS[path] ?? `${request.method} ${path}`);
    await noteDone(action, email === '' ? {} : { email }, isRefused && !isFailure ? 403 : response.status, who);
  }
  return isFailure ? inOurWords(response) : response;
}

/** Who came in by an answer, as the cookie says that it sets; undefined when nobody did. */
async function whoCameIn(response: Response): Promise<{ id: string; name: string } | undefined> {
  const cookie = response.headers
    .getSetCookie()
    .map((it) => it.split(';')[0])
    .join('; ');
  const found = await sessionOf(new Headers({ cookie }));
  return found && { id: found.user.id, name: found.user.name };
}

/** What may stand in a body: the library takes more, such as where to go next, which is decided here. */
const TAKEN: Readonly<Record<string, readonly string[]>> = {
  '/sign-in/email': ['email', 'password'],
  '/sign-in/social': ['provider', 'callbackURL'],
  '/two-factor/verify-totp': ['code'],
  '/two-factor/verify-backup-code': ['code'],
  '/two-factor/enable': ['password'],
  '/two-factor/disable': ['password'],
  '/change-password': ['currentPassword', 'newPassword'],
};

const WORDS: Readonly<Record<string, string>> = {
  '/sign-in/email': 'signed in',
  '/sign-out': 'signed out',
  '/callback/company': 'signed in by the provider',
  '/two-factor/verify-totp': 'gave the second factor',
  '/two-factor/verify-backup-code': 'gave a spare code',
  '/two-factor/enable': 'set up a second factor',
  '/two-factor/disable': 'removed the second factor',
  '/change-password': 'changed the password',
};

async function boundedText(request: Request): Promise<string> {
  const parts: Uint8Array[] = [];
  let length = 0;
  for await (const part of (request.body ?? []) as unknown as AsyncIterable<Uint8Array>) {
    length += part.length;
    if (length > LONGEST_BODY) throw new RangeError('too long');
    parts.push(part);
  }
  return Buffer.concat(parts).toString('utf8');
}

/** Errors of the library in words that say what to do, and that never tell whether somebody has an account. */
async function inOurWords(response: Response): Promise<Response> {
  const { code = '' } = (await response.json().catch(() => ({}))) as { code?: string };
  const said: Readonly<Record<string, string>> = {
    INVALID_EMAIL_OR_PASSWORD: 'Address and password do not belong together.',
    INVALID_EMAIL: 'Address and password do not belong together.',
    FAILED_TO_CREATE_SESSION: 'Address and password do not belong together.',
    INVALID_PASSWORD: 'This is not your password.',
    INVALID_CODE: 'The code is not right, or its time is over. Take the newest.',
    INVALID_TWO_FACTOR_COOKIE: 'Too much time has passed. Sign in again.',
    INVALID_BACKUP_CODE: 'This spare code is not right, or was used.',
  };
  const known = said[code] ?? (code === '' ? undefined : code.toLowerCase().replaceAll('_', ' '));
  const status = response.status === 429 ? 429 : response.status >= 500 ? 401 : response.status;
  const message = response.status === 429 ? 'Too many tries. Wait a minute.' : (known ?? 'This could not be done.');
  const headers = new Headers({ 'content-type': 'application/json; charset=utf-8', 'cache-control': 'no-store' });
  for (const cookie of response.headers.getSetCookie()) headers.append('set-cookie', cookie);
  return new Response(JSON.stringify({ error: message }), { status, headers });
}
