import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { TraceId } from '../../../src/core/trace/span.ts';
import { encodeTracesProtobuf } from '../../../src/formats/otlp/span/encodeProtobuf.ts';
import { type Installation, install } from '../../support/installation.ts';
import { makeSpans } from '../../support/made/traceMaker.ts';
import { firstAdministrator, invited, type Somebody, signedIn, somebody, WITH_ACCOUNTS } from '../../support/people.ts';
import { PROTOBUF, post } from '../../support/sending.ts';

let dusk: Installation;
let ines: Somebody;
let lena: Somebody & { email: string };
let lenasId: string;
beforeAll(async () => {
  dusk = await install({ reach: WITH_ACCOUNTS });
  ines = await firstAdministrator(dusk);
  lena = await invited(dusk.url, ines, 'Lena Quist', 'responder');
  const { people } = await ines.json<{ people: { id: string; email: string }[] }>('/api/people');
  lenasId = people.find(({ email }) => email === lena.email)!.id;
});
afterAll(() => dusk?.stop());

/** Lena's session after she was signed out. */
const signIn = () => signedIn(dusk.url, lena.email);
const tokenOf = async (environment: string | null) =>
  (await ines.json<{ id: number; token: string }>('/api/intake/tokens', { name: `sends ${environment}`, environment })).token;
const hello = (instance: string, environment = '') => ({
  probe: `probe-of-${instance}`,
  instances: [{ service: 'passes', instance, environment }],
  can: ['look'],
  waitMs: 0,
});

/** Has a probe register by a token. */
async function register(instance: string, token: string, says = ''): Promise<void> {
  const probe = somebody(dusk.url, { authorization: `Bearer ${token}` });
  await probe.json('/v1/probes', hello(instance, says));
}

describe('a role of an environment', () => {
  it('replaces the general one for what is done to something there', async () => {
    await register('live-1', await tokenOf('reach-live'), 'quay-test');
    await register('test-1', await tokenOf('quay-test'));
    await register('own-1', await tokenOf(null), 'reach-live');
    const looks = async (who: Somebody) => {
      const status = async (instance: string) => {
        const answer = await who.ask('/api/code/looks', { method: 'POST', body: { service: 'passes', instance } });
        return answer.ok ? ((await answer.json()) as { is: string }).is : `${answer.status}: ${await answer.text()}`;
      };
      return [await status('live-1'), await status('own-1'), await status('test-1')];
    };
    expect(await looks(lena)).toEqual(['asked', 'asked', 'asked']);
    await ines.json(`/api/people/${lenasId}`, { environments: { 'reach-live': 'reader' } }, 'PUT');
    // Who may do less is signed out.
    expect((await lena.ask('/api/account')).status).toBe(401);
    const again = await signIn();
    const refused = expect.stringContaining('This asks for the role responder in reach-live; you are reader there.');
    expect(await looks(again)).toEqual([refused, refused, 'asked']);
    // A program of hers is not more than she is.
    const { token } = await again.json<{ token: string }>('/api/account/tokens', { name: 'mine', role: 'responder', days: 1 });
    expect(await looks(somebody(dusk.url, { authorization: `Bearer ${token}` }))).toEqual([refused, refused, 'asked']);
  });

  it('may be more than the general one: tokens of senders there, and no others', async () => {
    await ines.json(`/api/people/${lenasId}`, { role: 'reader', environments: { 'quay-test': 'administrator' } }, 'PUT');
    const again = await signIn();
    const make = (environment: string | null) =>
      again.ask('/api/intake/tokens', { method: 'POST', body: { name: 'hers', environment } });
    expect((await make('quay-test')).status).toBe(200);
    expect([(await make('reach-live')).status, (await make(null)).status]).toEqual([403, 403]);
    const { tokens } = await again.json<{ tokens: { id: number; environment: string }[] }>('/api/intake/tokens');
    expect(new Set(tokens.map(({ environment }) => environment))).toEqual(new Set(['quay-test']));
    const all = (await ines.json<{ tokens: { id: number; environment: string | null }[] }>('/api/intake/tokens')).tokens;
    const live = all.find(({ environment }) => environment === 'reach-live')!;
    const end = (id: number) => again.ask('/api/intake/tokens/end', { method: 'POST', body: { id } });
    expect([(await end(live.id)).status, (await end(tokens[0].id)).status]).toEqual([403, 200]);
    // What decides for all is not hers.
    const statuses = await Promise.all(
      ['/api/people', '/api/audit', '/api/audit/environments'].map(async (path) => (await again.ask(path)).status),
    );
    expect(statuses).toEqual([403, 403, 403]);
    expect((await again.ask('/api/rules', { method: 'PUT', body: { rules: [] } })).status).toBe(403);
  });

  it('is refused where it is none', async () => {
    const set = (environments: unknown) =>
      ines.ask(`/api/people/${lenasId}`, { method: 'PUT', body: { environments } }).then(({ status }) => status);
    expect([await set({ a: 'owner' }), await set({ '': 'reader' }), await set('reader')]).toEqual([400, 400, 400]);
  });
});

describe('who looks at records as they were sent', () => {
  const traceOf = (at: number) => `ab${String(at).padStart(30, '0')}` as TraceId;
  const looked = async () =>
    (
      await ines.json<{ entries: { by: string; action: string; about: { environment: string } }[] }>(
        '/api/audit?text=looked%20at',
      )
    ).entries.map(({ by, action, about }) => [by, action, about.environment]);

  it('is written down for the environments that are watched, and for no others', async () => {
    const start = BigInt(Date.now() - 60_000) * 1_000_000n;
    for (const [at, environment] of ['reach-live', 'quay-test'].entries()) {
      const [span] = makeSpans({ id: 0, from: 0, to: 5 });
      const body = encodeTracesProtobuf([{ ...span, traceId: traceOf(at), start, end: start + 5_000_000n }]);
      const authorization = `Bearer ${await tokenOf(environment)}`;
      expect((await post(dusk.url, body, PROTOBUF, { authorization }, '/v1/traces')).status).toBe(200);
    }
    const reader = await invited(dusk.url, ines, 'Tomas Berg', 'reader');
    const look = async (at: number) => {
      const { spans } = await reader.json<{ spans: { spanId: string }[] }>(`/api/traces/${traceOf(at)}`);
      await reader.json(`/api/traces/${traceOf(at)}/spans/${spans[0].spanId}`);
      await reader.json(`/api/traces/${traceOf(at)}/attributes`);
      await reader.json(`/api/traces/${traceOf(at)}/attributes?key=service.name`);
    };
    await look(0);
    expect(await looked()).toEqual([]);
    const { environments } = await ines.json<{ environments: string[] }>(
      '/api/audit/environments',
      { environments: ['reach-live', 'reach-live'] },
      'PUT',
    );
    expect(environments).toEqual(['reach-live']);
    for (const at of [0, 1, 0]) await look(at);
    expect((await looked()).sort()).toEqual([
      ['Tomas Berg', 'looked at a span', 'reach-live'],
      ['Tomas Berg', 'looked at an attribute of a trace', 'reach-live'],
    ]);
    expect((await reader.ask('/api/audit/environments')).status).toBe(403);
  });
});
