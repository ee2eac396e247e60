import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { encodeTracesProtobuf } from '../../../src/formats/otlp/span/encodeProtobuf.ts';
import { type Installation, install, until } from '../../support/installation.ts';
import { manyCalls } from '../../support/made/manyCalls.ts';
import { makeSpans } from '../../support/made/traceMaker.ts';
import { firstAdministrator, type Somebody, somebody, WITH_ACCOUNTS } from '../../support/people.ts';
import { PROTOBUF, post } from '../../support/sending.ts';

let dusk: Installation;
let ines: Somebody;
beforeAll(async () => {
  dusk = await install({ reach: WITH_ACCOUNTS });
  ines = await firstAdministrator(dusk);
});
afterAll(() => dusk?.stop());

interface Kept {
  readonly id: number;
  readonly name: string;
  readonly prefix: string;
  readonly lastUsed: string | null;
  readonly refused: number;
}
const make = (body: object) => ines.json<{ id: number; token: string }>('/api/intake/tokens', body);
const kept = async (id: number) => (await ines.json<{ tokens: Kept[] }>('/api/intake/tokens')).tokens.find((it) => it.id === id)!;

let made = 0;
/** Spans that nobody sent before. */
const body = () => encodeTracesProtobuf(manyCalls(2 + made++, 1, BigInt(Date.now() - 60_000) * 1_000_000n));
let traces = 0;
/** A request for each name. */
const spansNamed = (names: readonly string[]) => {
  const [made] = makeSpans({ id: 0, from: 0, to: 5 });
  const start = BigInt(Date.now() - 60_000) * 1_000_000n;
  return encodeTracesProtobuf(
    names.map((name) => ({
      ...made,
      name,
      traceId: `f${(++traces).toString(16).padStart(31, '0')}` as typeof made.traceId,
      start,
      end: start + 5_000_000n,
    })),
  );
};
const send = (token?: string, path = '/v1/traces', bytes: Uint8Array | string = body()) =>
  post(dusk.url, bytes, PROTOBUF, token === undefined ? {} : { authorization: `Bearer ${token}` }, path);

describe('a sender', () => {
  it('is turned away without a token, and with one that is not for it, in words', async () => {
    const { token } = await make({ name: 'logs alone', signals: ['logs'] });
    const answers = [await send(), await send('dls_made-up'), await send(token)];
    expect(answers.map(({ status }) => status)).toEqual([401, 401, 403]);
    const words = await Promise.all(answers.map((it) => it.text()));
    expect(words[0]).toContain('Authorization: Bearer');
    expect(words[2]).toContain('is for logs alone');
    for (const path of ['/v1/logs', '/v1/metrics', '/v1development/profiles'])
      expect((await send(undefined, path)).status).toBe(401);
    const probe = await somebody(dusk.url).ask('/v1/probes', { method: 'POST', body: { probe: 'p', instances: [], can: [] } });
    expect(probe.status).toBe(401);
    expect((await somebody(dusk.url).ask('/api/environments')).status).toBe(401);
  });

  it('cannot ask by what it sends with, nor change anything', async () => {
    const { token } = await make({ name: 'sends' });
    const sender = somebody(dusk.url, { authorization: `Bearer ${token}` });
    expect((await sender.ask('/api/traces')).status).toBe(401);
    expect((await sender.ask('/api/casebook', { method: 'POST', body: { by: 'x' } })).status).toBe(401);
  });

  it('is of the environment of its token, whatever it says itself', async () => {
    const { token } = await make({ name: 'quay', environment: 'quay-test' });
    expect((await send(token)).status).toBe(200);
    const { environments } = await ines.json<{ environments: string[] }>('/api/environments');
    expect(environments).toEqual(['quay-test']);
  });

  it('sends so much a minute, and is told when to come again; what is refused is counted', async () => {
    const { id, token } = await make({ name: 'bounded', recordsPerMinute: 1 });
    // At the end of a minute the next one begins in between.
    await until(
      async () => Date.now() % 60_000,
      (ms) => ms < 50_000,
    );
    expect((await send(token)).status).toBe(200);
    const answer = await send(token);
    expect(answer.status).toBe(429);
    expect(Number(answer.headers.get('retry-after'))).toBeGreaterThan(0);
    expect(await answer.text()).toContain('1 records a minute');
    const noted = await until(
      () => kept(id),
      ({ refused }) => refused > 0,
      30,
    );
    expect(noted).toMatchObject({ refused: 1, prefix: token.slice(0, 10) });
    expect(noted.lastUsed).not.toBeNull();
  });

  it('brings so many new names a minute: what is known already goes on, and the rest waits', async () => {
    const { token } = await make({ name: 'names', namesPerMinute: 200 });
    const { token: other } = await make({ name: 'many names' });
    await until(
      async () => Date.now() % 60_000,
      (ms) => ms < 45_000,
    );
    const numbered = (what: string, count: number) => spansNamed(Array.from({ length: count }, (_, at) => `${what} ${at}`));
    expect((await send(token, '/v1/traces', spansNamed(['moor', 'cast off']))).status).toBe(200);
    // Another sender brings names without end: they are not this one's.
    expect((await send(other, '/v1/traces', numbered('quay', 300))).status).toBe(200);
    for (let round = 0; round < 3; round++)
      expect((await send(token, '/v1/traces', spansNamed(['moor', 'cast off']))).status).toBe(200);
    expect((await send(token, '/v1/traces', numbered('berth', 300))).status).toBe(200);
    const answer = await send(token, '/v1/traces', spansNamed(['moor']));
    expect([answer.status, await answer.text()]).toEqual([429, expect.stringContaining('200 new names a minute')]);
  });

  it('can be given another token while both are good, and the old one ends', async () => {
    const before = await make({ name: 'before' });
    const after = await make({ name: 'after' });
    await ines.json('/api/intake/tokens/end', { id: before.id, hours: 24 });
    expect([(await send(before.token)).status, (await send(after.token)).status]).toEqual([200, 200]);
    await ines.json('/api/intake/tokens/end', { id: before.id });
    expect([(await send(before.token)).status, (await send(after.token)).status]).toEqual([401, 200]);
  });
});

it('tokens are shown once: what is kept is a hash, and how they begin', async () => {
  const { id, token } = await make({ name: 'seen once' });
  const { default: pg } = await import('pg');
  const client = new pg.Client(dusk.cluster.url);
  await client.connect();
  const { rows } = await client.query('SELECT * FROM sender_token WHERE id = $1', [id]);
  await client.end();
  expect(JSON.stringify(rows)).not.toContain(token.slice(12));
  expect(JSON.stringify(await ines.json('/api/intake/tokens'))).not.toContain(token.slice(12));
});
