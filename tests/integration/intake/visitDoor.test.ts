import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Installation, install } from '../../support/installation.ts';
import { getJson } from '../../support/sending.ts';

/*
 * The public door for visits: pages of the site may write and nothing else; junk is refused where it enters, and nobody fills the store.
 */

const KEY = 'site-open-door';
const SMALL = 'site-small-door';
const ORIGIN = 'https://www.osier-reach.example';

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
  const answer = await put([
    { key: KEY, app: 'quayside-web', origins: [ORIGIN], environment: 'reach-live' },
    { key: SMALL, app: 'small', origins: ['*'], perMinute: 60, perDay: 1_000 },
  ]);
  expect(answer.status).toBe(200);
});
afterAll(() => dusk?.stop());

function put(sites: unknown[]): Promise<Response> {
  return fetch(`${dusk.url}/api/visitors/sites`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ sites }),
  });
}

let made = 0;
function batch(events: object[] = [{}], more: object = {}) {
  return {
    v: 1,
    session: (++made).toString(16).padStart(32, '0'),
    now: Date.now(),
    events: events.map((it, o) => ({ k: 'action', o, t: Date.now(), p: '/sailings', n: 'search', ...it })),
    ...more,
  };
}

function send(
  body: unknown,
  {
    key = KEY,
    origin = ORIGIN,
    type = 'text/plain',
    method = 'POST',
  }: { key?: string; origin?: string; type?: string; method?: string } = {},
): Promise<Response> {
  return fetch(`${dusk.url}/v1/visits/${key}`, {
    method,
    headers: {
      'content-type': type,
      ...(origin && { origin }),
      'user-agent': 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0',
    },
    body: method === 'POST' ? (typeof body === 'string' ? body : JSON.stringify(body)) : undefined,
  });
}

async function stored(): Promise<{ count: number; rows: Record<string, unknown>[] }> {
  const client = new pg.Client({ connectionString: dusk.cluster.url });
  await client.connect();
  const { rows } = await client.query('SELECT service, session, name, page, detail, about, time_ns FROM visit');
  await client.end();
  return { count: rows.length, rows };
}

describe('a page of the site', () => {
  it('may write, is told only that it did, and its visitor’s browser is known by family', async () => {
    const answer = await send(batch([{}, { n: 'hold places' }]));
    expect([answer.status, await answer.text()]).toEqual([204, '']);
    expect(answer.headers.get('access-control-allow-origin')).toBe(ORIGIN);
    const { rows } = await stored();
    expect(rows.map(({ name }) => name)).toEqual(['search', 'hold places']);
    expect(rows[0]).toMatchObject({ service: 'quayside-web', about: { device: 'desk', os: 'Linux' } });
  });

  it('is answered when it asks first whether it may', async () => {
    const answer = await send(undefined, { method: 'OPTIONS' });
    expect(answer.status).toBe(204);
    expect(answer.headers.get('access-control-allow-methods')).toBe('POST');
  });

  it('has its clock put right by ours, and what is of long ago left out', async () => {
    const before = (await stored()).count;
    const off = 3 * 3_600_000;
    await send(batch([{ t: Date.now() + off }, { t: Date.now() + off - 7 * 3_600_000 }], { now: Date.now() + off }));
    const { rows, count } = await stored();
    expect(count).toBe(before + 1);
    expect(Math.abs(Number(rows.at(-1)!.time_ns) / 1e6 - Date.now())).toBeLessThan(30_000);
  });

  it('is masked at the door whatever the page did not mask', async () => {
    await send(
      batch([
        {
          n: 'Call odo.brandt@marram.example',
          p: '/bookings/OR5A2C91?card=4111111111111111',
          x: {
            note: '+44 7700 900123',
            stack: 'Error: odo.brandt@marram.example\nat f (https://x.example/u/4711/app.js?t=secret:3:4)',
          },
        },
      ]),
    );
    const text = JSON.stringify((await stored()).rows);
    for (const secret of ['odo.brandt', '4111', '900123', 'secret', '4711', 'OR5A2C91']) expect(text).not.toContain(secret);
    expect(text).toContain('/bookings/{id}');
  });
});

describe('junk', () => {
  it.each([
    ['another origin', () => send(batch(), { origin: 'https://elsewhere.example' }), 403],
    ['a key that is none', () => send(batch(), { key: 'site-nobodys-door' }), 404],
    ['no JSON', () => send('{"v":'), 400],
    ['another shape', () => send({ ...batch(), more: 1 }), 400],
    ['too many events', () => send(batch(Array.from({ length: 201 }, () => ({})))), 400],
    ['a session that is none', () => send(batch([{}], { session: 'me' })), 400],
    [
      'facts without end',
      () => send(batch([{ x: Object.fromEntries(Array.from({ length: 31 }, (_, at) => [`f${at}`, 1])) }])),
      400,
    ],
    ['a body without end', () => send('x'.repeat(70_000)), 413],
    ['another type', () => send(batch(), { type: 'image/png' }), 415],
    ['another method', () => send(undefined, { method: 'GET' }), 405],
  ])('of %s is refused', async (_, ask, status) => {
    const before = (await stored()).count;
    const answer = await ask();
    expect(answer.status).toBe(status);
    expect((await stored()).count).toBe(before);
    if (status === 403 || status === 404) expect(answer.headers.get('access-control-allow-origin')).toBeNull();
  });

  it('in any amount does not fill the store: what a site may send in a minute and a day is bounded', async () => {
    const before = (await stored()).count;
    const statuses: number[] = [];
    for (let at = 0; at < 12; at++)
      statuses.push(
        (await send(batch(Array.from({ length: 20 }, () => ({}))), { key: SMALL, origin: 'https://any.example' })).status,
      );
    expect(statuses.slice(0, 3)).toEqual([204, 204, 204]);
    expect(statuses.at(-1)).toBe(429);
    // Sixty at once, and one a second while it goes on.
    expect((await stored()).count - before).toBeLessThanOrEqual(100);
    const late = await send(batch(Array.from({ length: 60 }, () => ({}))), { key: SMALL, origin: 'https://any.example' });
    expect(Number(late.headers.get('retry-after'))).toBeGreaterThan(0);
    // Another site is not held up by it.
    expect((await send(batch())).status).toBe(204);
  });

  it('does not read anything: what the door answers is empty', async () => {
    for (const path of ['', '/x', '?from=2026-01-01'])
      expect([404, 405]).toContain((await fetch(`${dusk.url}/v1/visits/${KEY}${path}`, { headers: { origin: ORIGIN } })).status);
  });
});

describe('sites', () => {
  it('without a key get one; a wrong origin or a key twice is refused in words', async () => {
    const { sites } = await getJson(dusk.url, '/api/visitors/sites');
    const answer = await put([...sites, { app: 'deck-web', origins: ['https://deck.osier-reach.example'] }]);
    const changed = (await answer.json()).sites;
    expect(changed.at(-1)).toMatchObject({ app: 'deck-web', key: expect.stringMatching(/^site-[\w-]{12}$/) });
    const wrong = await put([{ app: 'x', origins: ['www.example.com/path'] }]);
    expect([wrong.status, (await wrong.json()).error]).toEqual([400, expect.stringContaining('https://www.example.com')]);
  });
});

describe('a stack', () => {
  it('is shown as the code was written once the source map of its release is stored; what is no map is refused', async () => {
    const { build } = await import('esbuild');
    const built = await build({
      stdin: {
        contents:
          'export function holdPlaces(deck: string[]) {\n  const rows = deck.length;\n  throw new Error("no row " + rows);\n}\nholdPlaces([]);\n',
        loader: 'ts',
        sourcefile: 'app/hold.ts',
      },
      bundle: true,
      minify: true,
      sourcemap: 'external',
      write: false,
      outfile: 'app.3f2a.js',
      format: 'iife',
    });
    const [map, code] = [
      built.outputFiles.find(({ path }) => path.endsWith('.map'))!,
      built.outputFiles.find(({ path }) => path.endsWith('.js'))!,
    ];
    const column = code.text.split('\n')[0].indexOf('throw') + 1;
    const put = (text: string) =>
      fetch(`${dusk.url}/api/visitors/source-maps`, {
        method: 'PUT',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ app: 'quayside-web', release: '2.31', file: 'app.3f2a.js', map: text }),
      });
    expect((await put('{"version":3}')).status).toBe(400);
    const folder = mkdtempSync(join(tmpdir(), 'dusk-maps-'));
    mkdirSync(join(folder, 'assets'));
    writeFileSync(join(folder, 'assets', 'app.3f2a.js.map'), map.text);
    const stored = (...more: string[]) =>
      spawnSync('./dusk', ['source-maps', folder, '--app', 'quayside-web', '--url', dusk.url, ...more], { encoding: 'utf8' });
    expect(stored().stderr).toContain('--release');
    expect(stored('--release', '2.31')).toMatchObject({
      status: 0,
      stdout: '1 of 1 source maps of quayside-web 2.31 are stored\n',
    });
    // One that is none is said, and the others are stored all the same.
    writeFileSync(join(folder, 'broken.js.map'), '{"version":3}');
    const half = stored('--release', '2.31');
    rmSync(folder, { recursive: true });
    expect([half.status, half.stdout]).toEqual([1, '1 of 2 source maps of quayside-web 2.31 are stored\n']);
    expect(half.stderr).toMatch(/broken\.js\.map: map: this is no source map/);
    const sent = batch(
      [{ k: 'error', n: 'no row 0', x: { stack: `Error: no row 0\nat a (${ORIGIN}/app.3f2a.js:1:${column})\nat other.js:1:2` } }],
      { release: '2.31' },
    );
    expect((await send(sent)).status).toBe(204);
    const around = new URLSearchParams({
      from: new Date(Date.now() - 600_000).toISOString(),
      to: new Date(Date.now() + 60_000).toISOString(),
    });
    const { events } = await getJson(dusk.url, `/api/visitors/visits/${sent.session}?${around}`);
    expect(events[0].detail.stack.split('\n')).toEqual([
      'Error: no row 0',
      expect.stringMatching(/^\w+ \(.*app\/hold\.ts:3:\d+\)$/),
      'at other.js:1:2',
    ]);
    const { faults } = await getJson(dusk.url, `/api/visitors/versions?${around}&app=quayside-web`);
    expect(faults.find(({ name }: { name: string }) => name === 'no row 0').stack).toContain('app/hold.ts:3');
  });
});
