import { afterAll, beforeAll, expect, it } from 'vitest';
import { type Installation, install } from '../../support/installation.ts';
import { cookiesOf, firstAdministrator, fromElsewhere, type Somebody, somebody, WITH_ACCOUNTS } from '../../support/people.ts';
import { type StandInProvider, startProvider } from '../../support/provider.ts';

let dusk: Installation;
let provider: StandInProvider;
let ines: Somebody;
beforeAll(async () => {
  dusk = await install({ reach: WITH_ACCOUNTS });
  ines = await firstAdministrator(dusk);
  provider = await startProvider(`${dusk.url}/api/account/callback/company`);
});
afterAll(async () => {
  await provider?.stop();
  await dusk?.stop();
});

const decide = (more: object) => {
  const { issuer, clientId, clientSecret } = provider;
  const body = { provider: { name: 'Osier Reach', issuer, clientId, clientSecret, admitsAll: false, ...more } };
  return ines.json('/api/people/provider', body, 'PUT');
};

/** Goes the way of a browser: to the provider, and back with what it says. @returns the last answer and the cookies that were set */
async function comeIn(
  change: (callback: URL) => void = () => {},
  callbackURL = '/map',
): Promise<{ last: Response; cookie: string }> {
  const begun = await somebody(dusk.url, fromElsewhere()).ask('/api/account/sign-in/social', {
    method: 'POST',
    body: { provider: 'company', callbackURL },
  });
  expect(begun.status).toBe(200);
  const own = cookiesOf(begun);
  const jar = new Map<string, string>();
  let at = new URL(((await begun.json()) as { url: string }).url);
  for (let step = 0; step < 12; step++) {
    const isHere = at.href.startsWith(dusk.url);
    if (isHere && at.pathname.endsWith('/company')) change(at);
    const cookie = isHere ? own : [...jar].map(([name, value]) => `${name}=${value}`).join('; ');
    const last = await fetch(at, { redirect: 'manual', headers: { cookie } });
    if (isHere) return { last, cookie: cookiesOf(last) };
    for (const set of last.headers.getSetCookie()) {
      const [, name, value] = /^([^=]+)=([^;]*)/.exec(set)!;
      jar.set(name, value);
    }
    at = new URL(last.headers.get('location')!, at);
  }
  throw new Error('the provider never came to an end');
}

it('lets in by the provider who was invited or has an account, as what they are here', async () => {
  await decide({});
  provider.next = { sub: 'p-1', email: 'ines@osier.example', name: 'I. Halloran' };
  const { last, cookie } = await comeIn();
  expect(last.headers.get('location')).toMatch(/\/map$/);
  const me = await somebody(dusk.url, { cookie }).json<{ name: string; role: string }>('/api/account');
  expect(me).toMatchObject({ name: 'Ines Halloran', role: 'administrator' });
});

it('does not let in who has no account, unless it was decided that everybody comes in, as a reader', async () => {
  provider.next = { sub: 'p-2', email: 'stranger@osier.example', name: 'A Stranger' };
  const refused = await comeIn();
  expect(refused.last.headers.get('location')).toMatch(/\/sign-in\?to=%2Fmap&error=/);
  expect((await somebody(dusk.url, { cookie: refused.cookie }).ask('/api/environments')).status).toBe(401);
  const { entries } = await ines.json<{ entries: { by: string; status: number }[] }>('/api/audit?text=provider&before=1000000');
  const ways = entries.filter((it) => 'action' in it && it.action === 'signed in by the provider');
  expect(ways.map(({ by, status }) => [by, status])).toEqual([
    ['', 403],
    ['Ines Halloran', 302],
  ]);
  await decide({ admitsAll: true });
  const { cookie } = await comeIn();
  expect(await somebody(dusk.url, { cookie }).json('/api/account')).toMatchObject({
    name: 'A Stranger',
    role: 'reader',
    hasPassword: false,
  });
});

it('does not let in as somebody here whose address of mail the provider has not verified', async () => {
  provider.next = { sub: 'p-3', email: 'ines@osier.example', name: 'Not Ines', isVerified: false };
  await decide({ admitsAll: true });
  const { cookie } = await comeIn();
  expect((await somebody(dusk.url, { cookie }).ask('/api/environments')).status).toBe(401);
});

it('does not take what somebody else was given: another state, no state, or a code of their own', async () => {
  for (const change of [
    (at: URL) => at.searchParams.set('state', 'made-up'),
    (at: URL) => at.searchParams.delete('state'),
    (at: URL) => at.searchParams.set('code', 'made-up'),
  ]) {
    const { cookie } = await comeIn(change);
    expect((await somebody(dusk.url, { cookie }).ask('/api/environments')).status).toBe(401);
  }
});

it('never gives the secret out, and keeps it when nothing is said of it', async () => {
  const kept = JSON.stringify(await ines.json('/api/people/provider'));
  expect(kept).toContain('dusk-lantern');
  expect(kept).not.toContain('secret');
  const { issuer, clientId } = provider;
  const body = { provider: { name: 'Another name', issuer, clientId, admitsAll: false } };
  await ines.json('/api/people/provider', body, 'PUT');
  provider.next = { sub: 'p-1', email: 'ines@osier.example', name: 'I. Halloran' };
  const { cookie } = await comeIn();
  expect((await somebody(dusk.url, { cookie }).ask('/api/environments')).status).toBe(200);
});

it('leads nowhere else after signing in, whatever is asked for', async () => {
  for (const callbackURL of ['https://evil.example/', '//evil.example', '/\\evil.example']) {
    const { last } = await comeIn(undefined, callbackURL);
    expect(new URL(last.headers.get('location')!, dusk.url).href, callbackURL).toBe(`${dusk.url}/now`);
  }
});

it('takes nothing but what it asks for', async () => {
  const body = { provider: 'company', callbackURL: '/now', errorCallbackURL: 'https://evil.example/' };
  const answer = await somebody(dusk.url).ask('/api/account/sign-in/social', { method: 'POST', body });
  expect([answer.status, await answer.text()]).toEqual([400, expect.stringContaining('errorCallbackURL is not asked for')]);
});

it('is no more when it is taken away, and nobody comes in by it', async () => {
  expect(await ines.json('/api/people/provider', { provider: null }, 'PUT')).toMatchObject({ provider: null });
  expect(await ines.json('/api/people/provider')).toMatchObject({ provider: null });
  const body = { provider: 'company', callbackURL: '/now' };
  const answer = await somebody(dusk.url, fromElsewhere()).ask('/api/account/sign-in/social', { method: 'POST', body });
  expect(answer.status).toBeGreaterThanOrEqual(400);
  expect(answer.status).toBeLessThan(500);
});
