import { createHmac } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { ENDPOINTS, RAW_ENDPOINTS } from '../../../src/api/registry.ts';
import { isAtLeast, type Role } from '../../../src/core/accounts/role.ts';
import { administratorLink } from '../../../src/server/commands/administratorLink.ts';
import { closeConnections } from '../../../src/store/database/connection.ts';
import { type Installation, install } from '../../support/installation.ts';
import {
  cookiesOf,
  firstAdministrator,
  fromElsewhere,
  invited,
  join,
  PASSWORD,
  type Somebody,
  signedIn,
  somebody,
  WITH_ACCOUNTS,
} from '../../support/people.ts';

let dusk: Installation;
let nobody: Somebody;
let ines: Somebody & { cookie: string };
let responder: Somebody & { email: string; cookie: string };
let reader: Somebody & { email: string; cookie: string };
beforeAll(async () => {
  dusk = await install({ reach: WITH_ACCOUNTS });
  nobody = somebody(dusk.url);
  ines = await firstAdministrator(dusk);
  responder = await invited(dusk.url, ines, 'Tomas Berg', 'responder');
  reader = await invited(dusk.url, ines, 'Lena Quist', 'reader');
});
afterAll(() => dusk?.stop());

interface Person {
  readonly id: string;
  readonly email: string;
  readonly role: Role;
}
const personOf = async (email: string) =>
  (await ines.json<{ people: Person[] }>('/api/people')).people.find((it) => it.email === email)!;

describe('every endpoint', () => {
  const all = [
    ...ENDPOINTS.map(({ path, method = 'GET', least }) => ({ path, method, least })),
    ...RAW_ENDPOINTS.map(({ path, method, least }) => ({ path, method, least })),
  ];
  /** With something in the place of names, so that nothing is found, and nothing changed. */
  const asked = (path: string) => path.replace(/\{\w+\}/g, 'none');
  const BODY = { nothing: 'of the kind' };
  /** What does more than answer, for whoever asks it. */
  const ends = new Set(['/api/account/sign-out', '/api/account/sessions/removal']);

  it('declares for whom it is', () => {
    expect(all.length).toBeGreaterThan(150);
    expect(
      all
        .filter(({ least }) => least === 'anyone')
        .map(({ path }) => path)
        .sort(),
    ).toEqual([
      '/api/account/callback/{provider}',
      '/api/account/invitation',
      '/api/account/join',
      '/api/account/sign-in/email',
      '/api/account/sign-in/social',
      '/api/account/sign-out',
      '/api/account/two-factor/verify-backup-code',
      '/api/account/two-factor/verify-totp',
      '/api/health/live',
      '/api/health/ready',
      '/api/sign-in',
    ]);
  });

  it.each<[string, () => Somebody, Role | undefined]>([
    ['nobody', () => nobody, undefined],
    ['a reader', () => reader, 'reader'],
    ['a responder', () => responder, 'responder'],
    ['an administrator', () => ines, 'administrator'],
  ])('is refused to %s exactly where it is not for them', async (_, who, role) => {
    const wrong: string[] = [];
    for (const { path, method, least } of all) {
      if (ends.has(path)) continue;
      const answer = await who().ask(asked(path), { method, body: method === 'GET' ? undefined : BODY });
      await answer.body?.cancel();
      const isRefused = answer.status === 401 || answer.status === 403;
      // The library says 401, too, of what is not right in what it is given.
      const isOfLibrary = path.startsWith('/api/account/') && isAtLeast(role, least);
      if (!isOfLibrary && isRefused !== !isAtLeast(role, least)) wrong.push(`${method} ${path}: ${answer.status}`);
    }
    expect(wrong).toEqual([]);
  });

  it('is refused to who sends a token that is none, or a cookie that was made up', async () => {
    for (const headers of [
      { authorization: 'Bearer dlp_made-up' },
      { authorization: 'Bearer ' },
      { cookie: 'lantern.session_token=made.up' },
      { cookie: `${ines.cookie.slice(0, -4)}AAAA` },
    ] as Record<string, string>[])
      expect((await nobody.ask('/api/environments', { headers })).status).toBe(401);
  });
});

describe('pages', () => {
  it('lead to the sign-in and back, to this application alone', async () => {
    const answer = await nobody.ask('/map?last=1h');
    expect(answer.status).toBe(302);
    expect(answer.headers.get('location')).toBe('/sign-in?to=%2Fmap%3Flast%3D1h');
    const page = await reader.ask('/sign-in?to=%2F%2Fevil.example');
    expect(page.headers.get('location')).toBe('/now');
    expect((await nobody.ask('/sign-in')).status).toBe(200);
  });

  it('show their files and the sign-in to nobody known, and nothing of what is kept', async () => {
    for (const path of ['/now', '/traces', '/casebook', '/intake', '/people', '/account', '/l/abcdefg', '/none'])
      expect((await nobody.ask(path)).status, path).toBe(302);
  });

  it('say what they may do with the browser, and no script stands in them that is not known', async () => {
    const answer = await reader.ask('/now');
    const policy = answer.headers.get('content-security-policy') ?? '';
    expect(policy).toMatch(/script-src 'self' 'sha256-[\w+/=]+' 'sha256-[\w+/=]+';/);
    expect(policy).toContain("frame-ancestors 'none'");
    expect(Object.fromEntries(answer.headers)).toMatchObject({
      'cross-origin-opener-policy': 'same-origin',
      'cross-origin-resource-policy': 'same-origin',
      'referrer-policy': 'same-origin',
      'x-content-type-options': 'nosniff',
    });
    expect(answer.headers.get('permissions-policy')).toContain('camera=()');
  });
});

describe('signing in', () => {
  it('says the same of a wrong password and of somebody who is not there', async () => {
    const tried = async (email: string) => {
      const answer = await nobody.ask('/api/account/sign-in/email', {
        method: 'POST',
        body: { email, password: 'not the one it is' },
      });
      return [answer.status, await answer.text(), answer.headers.getSetCookie()];
    };
    expect(await tried(reader.email)).toEqual(await tried('ghost@osier.example'));
    expect((await tried(reader.email))[0]).toBe(401);
  });

  it('makes a new session each time, by a cookie that scripts cannot read', async () => {
    const fixed = 'lantern.session_token=fixed.by-somebody-else';
    const answer = await somebody(dusk.url, { cookie: fixed, ...fromElsewhere() }).ask('/api/account/sign-in/email', {
      method: 'POST',
      body: { email: reader.email, password: PASSWORD },
    });
    const [cookie] = answer.headers.getSetCookie();
    expect(cookie).toMatch(/^lantern\.session_token=/);
    expect(cookie).toMatch(/HttpOnly/i);
    expect(cookie).toMatch(/SameSite=Lax/i);
    expect(cookiesOf(answer)).not.toContain('fixed');
    expect(cookiesOf(answer)).not.toBe(reader.cookie);
  });

  it('ends everywhere at once, for a cookie that was copied, too', async () => {
    const one = await signedIn(dusk.url, reader.email);
    const other = await signedIn(dusk.url, reader.email);
    await one.json('/api/account/sessions/removal', { which: 'others' });
    expect((await other.ask('/api/environments')).status).toBe(401);
    expect((await one.ask('/api/environments')).status).toBe(200);
    await one.json('/api/account/sign-out', {});
    expect((await one.ask('/api/environments')).status).toBe(401);
    reader = { ...(await signedIn(dusk.url, reader.email)), email: reader.email };
  });

  it('is slowed down for one address of the network, whoever it tries to be', async () => {
    const from = somebody(dusk.url, fromElsewhere());
    const statuses: number[] = [];
    for (let n = 0; n < 22; n++) {
      const body = { email: `guessed-${n}@osier.example`, password: 'guess of somebody' };
      statuses.push((await from.ask('/api/account/sign-in/email', { method: 'POST', body })).status);
    }
    expect([statuses[0], statuses.at(-1)]).toEqual([401, 429]);
  });

  it('is slowed down for one address of mail, wherever it is tried from', async () => {
    const statuses: number[] = [];
    for (let n = 0; n < 17; n++) {
      const answer = await somebody(dusk.url, fromElsewhere()).ask('/api/account/sign-in/email', {
        method: 'POST',
        body: { email: 'guessed@osier.example', password: `guess number ${n}` },
      });
      statuses.push(answer.status);
    }
    expect(statuses.at(-1)).toBe(429);
    expect(statuses).not.toContain(200);
  });
});

describe('a link by which somebody comes in', () => {
  it('is good once, and not for a password that everybody tries first', async () => {
    const { path } = await ines.json<{ path: string }>('/api/people/invitations', {
      email: 'mara@osier.example',
      role: 'reader',
    });
    const token = path.split('/').at(-1);
    const bad = await nobody.ask('/api/account/join', {
      method: 'POST',
      body: { token, name: 'Mara', password: 'password1234' },
    });
    expect([bad.status, await bad.text()]).toEqual([400, expect.stringContaining('everybody tries first')]);
    await join(dusk.url, path, 'Mara Vane');
    const again = await nobody.ask('/api/account/join', {
      method: 'POST',
      body: { token, name: 'Eve', password: 'another five ferries' },
    });
    expect(again.status).toBe(404);
    expect((await personOf('mara@osier.example')).role).toBe('reader');
  });

  it('is not given to who is there already, and can be taken back', async () => {
    const known = await ines.ask('/api/people/invitations', {
      method: 'POST',
      body: { email: reader.email, role: 'administrator' },
    });
    expect(known.status).toBe(409);
    const { path } = await ines.json<{ path: string }>('/api/people/invitations', { email: 'odd@osier.example', role: 'reader' });
    await ines.json('/api/people/invitations/removal', { email: 'odd@osier.example' });
    await expect(join(dusk.url, path, 'Odd')).rejects.toThrow('404');
  });

  it('sets a new password of who lost theirs, and ends their sessions', async () => {
    const mara = await signedIn(dusk.url, 'mara@osier.example');
    const { id } = await personOf('mara@osier.example');
    const { path } = await ines.json<{ path: string }>(`/api/people/${id}/recovery`, {});
    expect((await mara.ask('/api/environments')).status).toBe(401);
    const token = path.split('/').at(-1);
    await nobody.json('/api/account/join', { token, password: 'a new one for the ferries' });
    await signedIn(dusk.url, 'mara@osier.example', 'a new one for the ferries');
    await expect(signedIn(dusk.url, 'mara@osier.example')).rejects.toThrow('401');
  });
});

describe('what a person may do', () => {
  it('is taken away at once, from their programs too', async () => {
    const pia = await invited(dusk.url, ines, 'Pia Holm', 'responder');
    const { token } = await pia.json<{ token: string }>('/api/account/tokens', { name: 'night job', role: 'responder', days: 3 });
    const program = somebody(dusk.url, { authorization: `Bearer ${token}` });
    expect((await program.ask('/api/casebook')).status).toBe(200);
    expect(
      (await program.ask('/api/account/tokens', { method: 'POST', body: { name: 'x', role: 'reader', days: 1 } })).status,
    ).toBe(403);
    const { id } = await personOf(pia.email);
    await ines.json(`/api/people/${id}`, { role: 'reader' }, 'PUT');
    expect((await pia.ask('/api/environments')).status).toBe(401);
    expect((await program.ask('/api/casebook', { method: 'POST', body: { by: 'x' } })).status).toBe(403);
    await ines.json(`/api/people/${id}`, { disabled: true }, 'PUT');
    expect((await program.ask('/api/casebook')).status).toBe(401);
    await expect(signedIn(dusk.url, pia.email)).rejects.toThrow('401');
  });

  it('cannot be raised by themselves: not by a token, a field of the sign-in, or a link', async () => {
    const body = { name: 'up', role: 'administrator', days: 1 };
    expect((await reader.ask('/api/account/tokens', { method: 'POST', body })).status).toBe(403);
    for (const path of [
      '/api/account/update-user',
      '/api/account/sign-up/email',
      '/api/account/list-sessions',
      '/api/account/get-session',
    ])
      expect((await reader.ask(path, { method: 'POST', body: { role: 'administrator' } })).status, path).toBe(404);
    const { id } = await personOf(reader.email);
    expect((await reader.ask(`/api/people/${id}`, { method: 'PUT', body: { role: 'administrator' } })).status).toBe(403);
    expect((await personOf(reader.email)).role).toBe('reader');
  });

  it('is given back by the link of the command line to who lost all they came in by', async () => {
    const cara = await invited(dusk.url, ines, 'Cara Lindt', 'reader');
    const { id } = await personOf(cara.email);
    await ines.json(`/api/people/${id}`, { disabled: true }, 'PUT');
    process.env.DATABASE_URL = dusk.cluster.url;
    const path = await administratorLink();
    await closeConnections();
    await join(dusk.url, path, 'Cara Lindt', cara.email);
    await signedIn(dusk.url, cara.email);
    expect(await personOf(cara.email)).toMatchObject({ id, role: 'administrator', disabled: null });
    await ines.json(`/api/people/${id}`, { role: 'reader' }, 'PUT');
  });

  it('is left to one administrator at least', async () => {
    const { id } = await personOf('ines@osier.example');
    const answer = await ines.ask(`/api/people/${id}`, { method: 'PUT', body: { role: 'reader' } });
    expect([answer.status, await answer.text()]).toEqual([409, expect.stringContaining('nobody else is an administrator')]);
  });

  it('ends their own tokens, and nobody else’s', async () => {
    const { id } = await responder.json<{ id: number }>('/api/account/tokens', { name: 'mine', role: 'reader', days: 1 });
    expect((await reader.ask('/api/account/tokens/removal', { method: 'POST', body: { id } })).status).toBe(404);
    await responder.json('/api/account/tokens/removal', { id });
  });

  it('is written under their own name, whatever they say', async () => {
    const { id } = await responder.json<{ id: number }>('/api/casebook', { by: 'Ines Halloran', title: 'Berths wait' });
    const { steps } = await responder.json<{ steps: unknown[] }>(`/api/casebook/${id}/steps`);
    expect(steps).toEqual([]);
    const { versions } = await responder.json<{ versions: { by: string }[] }>(`/api/casebook/${id}/history`);
    expect(new Set(versions.map(({ by }) => by))).toEqual(new Set(['Tomas Berg']));
  });
});

describe('a second factor', () => {
  /** The code of RFC 6238 for a secret in base 32, worked out a second way. */
  function codeOf(secret: string, ms = Date.now()): string {
    const bits = [...secret].map((it) => 'ABCDEFGHIJKLMNOPQRSTUVWXYZ234567'.indexOf(it).toString(2).padStart(5, '0')).join('');
    const key = Buffer.from((bits.match(/.{8}/g) ?? []).map((it) => Number.parseInt(it, 2)));
    const counter = Buffer.alloc(8);
    counter.writeBigUInt64BE(BigInt(Math.floor(ms / 30_000)));
    const hash = createHmac('sha1', key).update(counter).digest();
    const value = hash.readUInt32BE(hash[19] & 15) & 0x7fffffff;
    return String(value % 1_000_000).padStart(6, '0');
  }

  it('is asked for once it was put in force, by each sign-in; a spare code is good once', async () => {
    const nils = await invited(dusk.url, ines, 'Nils Arvid', 'reader');
    const { totpURI, backupCodes } = await nils.json<{ totpURI: string; backupCodes: string[] }>(
      '/api/account/two-factor/enable',
      {
        password: PASSWORD,
      },
    );
    const secret = new URL(totpURI).searchParams.get('secret')!;
    await nils.json('/api/account/two-factor/verify-totp', { code: codeOf(secret) });
    const half = await nobody.ask('/api/account/sign-in/email', {
      method: 'POST',
      body: { email: nils.email, password: PASSWORD },
    });
    expect(await half.json()).toMatchObject({ twoFactorRedirect: true });
    const between = somebody(dusk.url, { cookie: cookiesOf(half) });
    expect((await between.ask('/api/environments')).status).toBe(401);
    const { entries } = await ines.json<{ entries: { action: string }[] }>('/api/audit');
    expect(entries[0].action).toBe('gave the password');
    expect((await between.ask('/api/account/two-factor/verify-totp', { method: 'POST', body: { code: '000000' } })).status).toBe(
      401,
    );
    const whole = await between.ask('/api/account/two-factor/verify-backup-code', {
      method: 'POST',
      body: { code: backupCodes[0] },
    });
    expect(whole.status).toBe(200);
    expect((await somebody(dusk.url, { cookie: cookiesOf(whole) }).ask('/api/environments')).status).toBe(200);
    const again = await nobody.ask('/api/account/sign-in/email', {
      method: 'POST',
      body: { email: nils.email, password: PASSWORD },
    });
    const used = await somebody(dusk.url, { cookie: cookiesOf(again) }).ask('/api/account/two-factor/verify-backup-code', {
      method: 'POST',
      body: { code: backupCodes[0] },
    });
    expect(used.status).toBe(401);
  });
});

describe('what was done', () => {
  it('is written down with who did it, without what is secret, and cannot be changed', async () => {
    const { entries } = await ines.json<{ entries: { action: string; by: string; status: number }[] }>('/api/audit');
    const said = JSON.stringify(entries);
    expect(entries).toContainEqual(expect.objectContaining({ action: 'POST /api/casebook', by: 'Tomas Berg', status: 200 }));
    expect(entries).toContainEqual(expect.objectContaining({ action: 'PUT /api/people/{id}', by: 'Lena Quist', status: 403 }));
    expect(entries).toContainEqual(expect.objectContaining({ action: 'joined', by: 'Mara Vane' }));
    expect(entries).toContainEqual(expect.objectContaining({ action: 'signed in', by: 'Lena Quist', status: 200 }));
    expect(entries).toContainEqual(expect.objectContaining({ action: 'signed in', by: '', status: 401 }));
    expect(said).not.toMatch(/dli_|dlp_[\w-]{20}|password1234|four ferries/);
    const { default: pg } = await import('pg');
    const client = new pg.Client(dusk.cluster.url);
    await client.connect();
    for (const sql of ["UPDATE audit_entry SET by = 'x'", 'DELETE FROM audit_entry', 'TRUNCATE audit_entry'])
      await expect(client.query(sql)).rejects.toThrow('only added to');
    await client.end();
  });

  it('leaves out what is told each second, such as steps of a case and changes of its text, which the case itself keeps', async () => {
    const { id } = await responder.json<{ id: number }>('/api/casebook', { title: 'Fares wait' });
    await responder.json(`/api/casebook/${id}/steps`, { path: '/map', title: 'Map' });
    const { entries } = await ines.json<{ entries: { action: string }[] }>('/api/audit?text=casebook');
    const actions = entries.map(({ action }) => action);
    expect(actions).toContain('POST /api/casebook');
    expect(actions).not.toContain('POST /api/casebook/{id}/steps');
  });

  it('goes out whole as JSON lines, to administrators, which is written down too', async () => {
    const lines = (await (await ines.ask('/api/audit/export')).text())
      .trim()
      .split('\n')
      .map((it) => JSON.parse(it));
    const ids = lines.map(({ id }) => id);
    expect(ids).toEqual([...ids].sort((a, b) => b - a));
    expect(lines.length).toBe(ids[0]);
    const { entries } = await ines.json<{ entries: { action: string }[] }>('/api/audit?text=audit%2Fexport');
    expect(entries[0].action).toBe('GET /api/audit/export');
  });

  it('is nowhere in the log of the application: no password, no token', async () => {
    expect(dusk.log()).not.toMatch(/dl[isp]_[\w-]{20}|four ferries|session_token/);
  });
});

it('a change is refused to a page of another origin, though the cookie goes along', async () => {
  for (const headers of [{ origin: 'http://evil.example' }, { origin: 'null' }, { 'sec-fetch-site': 'cross-site' }] as Record<
    string,
    string
  >[]) {
    const answer = await ines.ask('/api/casebook', {
      method: 'POST',
      body: { by: 'x' },
      headers,
    });
    expect(answer.status).toBe(403);
  }
  expect((await ines.ask('/api/casebook', { method: 'POST', body: { by: 'x' }, headers: { origin: dusk.url } })).status).toBe(
    200,
  );
});
