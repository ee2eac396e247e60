import type { Role } from '../../src/core/accounts/role.ts';
import { administratorLink } from '../../src/server/commands/administratorLink.ts';
import type { Reach } from '../../src/server/startApplication.ts';
import { closeConnections } from '../../src/store/database/connection.ts';
import type { Installation } from './installation.ts';

/** Where people and senders say who they are, on loopback. */
export const WITH_ACCOUNTS: Reach = { accounts: true, names: [], proxies: ['127.0.0.1'] };
export const PASSWORD = 'four ferries cross at dusk';

/** Somebody who is signed in, or a program with a token: asks as a browser, or as that program, would. */
export interface Somebody {
  readonly ask: (
    path: string,
    options?: { method?: string; body?: unknown; headers?: Record<string, string> },
  ) => Promise<Response>;
  readonly json: <T>(path: string, body?: unknown, method?: string) => Promise<T>;
}

let addresses = 0;
/** The header by which a proxy says that a request came from another address of the network each time. */
export const fromElsewhere = () => ({ 'x-forwarded-for': `10.7.${++addresses >> 8}.${addresses & 255}` });

/** Asks with the headers by which somebody is known. */
export function somebody(url: string, known: Record<string, string> = {}): Somebody {
  const ask: Somebody['ask'] = (path, { method = 'GET', body, headers = {} } = {}) =>
    fetch(url + path, {
      method,
      redirect: 'manual',
      headers: {
        ...known,
        // As browsers say with each change.
        ...(method === 'GET' ? {} : { origin: new URL(url).origin }),
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...headers,
      },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  return {
    ask,
    json: async (path, body, method = body === undefined ? 'GET' : 'POST') => {
      const answer = await ask(path, { method, body });
      if (!answer.ok) throw new Error(`${method} ${path}: ${answer.status} ${await answer.text()}`);
      return answer.json();
    },
  };
}

/** The cookies that an answer sets, as a browser sends them back. */
export const cookiesOf = (answer: Response) =>
  answer.headers
    .getSetCookie()
    .map((it) => it.split(';')[0])
    .join('; ');

/** Signs in by password. @throws Error when that is refused */
export async function signedIn(url: string, email: string, password = PASSWORD): Promise<Somebody & { cookie: string }> {
  const answer = await somebody(url, fromElsewhere()).ask('/api/account/sign-in/email', {
    method: 'POST',
    body: { email, password },
  });
  if (!answer.ok) throw new Error(`${answer.status} ${await answer.text()}`);
  const cookie = cookiesOf(answer);
  return { ...somebody(url, { cookie }), cookie };
}

/** Uses a link by which somebody comes in. */
export async function join(url: string, path: string, name: string, email?: string): Promise<void> {
  const token = path.split('/').at(-1);
  await somebody(url, fromElsewhere()).json('/api/account/join', {
    token,
    name,
    password: PASSWORD,
    ...(email ? { email } : {}),
  });
}

/** The first administrator of an installation, by the link of the command line. */
export async function firstAdministrator({ url, cluster }: Installation): Promise<Somebody & { cookie: string }> {
  process.env.DATABASE_URL = cluster.url;
  const path = await administratorLink();
  await closeConnections();
  await join(url, path, 'Ines Halloran', 'ines@osier.example');
  return signedIn(url, 'ines@osier.example');
}

/** Somebody new whom an administrator invites. */
export async function invited(
  url: string,
  by: Somebody,
  name: string,
  role: Role,
): Promise<Somebody & { email: string; cookie: string }> {
  const email = `${name.split(' ')[0].toLowerCase()}@osier.example`;
  const { path } = await by.json<{ path: string }>('/api/people/invitations', { email, role });
  await join(url, path, name);
  return { ...(await signedIn(url, email)), email };
}
