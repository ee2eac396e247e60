import { Agent, request } from 'node:http';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { encodeTracesProtobuf } from '../../src/formats/otlp/span/encodeProtobuf.ts';
import { type Installation, install, until } from '../support/installation.ts';
import { makeSpans } from '../support/made/traceMaker.ts';
import { getJson, PROTOBUF, post } from '../support/sending.ts';

let dusk: Installation;
beforeAll(async () => {
  dusk = await install();
});
afterAll(() => dusk.stop());

it('leads to Now, with the scope of the link', async () => {
  const answer = await fetch(`${dusk.url}/?last=30min&before=just`, { redirect: 'manual' });
  expect([answer.status, answer.headers.get('location')]).toEqual([302, '/now?last=30min&before=just']);
});

describe('the files of the pages', () => {
  /** The address of a file that the first page names. */
  const namedFile = async () => /\/_astro\/[^"']+\.(?:js|css)/.exec(await (await fetch(`${dusk.url}/`)).text())![0];

  it('are kept by browsers for as long as they like, since another content has another name', async () => {
    const answer = await fetch(dusk.url + (await namedFile()));
    expect([answer.status, answer.headers.get('cache-control')]).toEqual([200, 'public, max-age=31536000, immutable']);
    expect((await answer.text()).length).toBeGreaterThan(0);
  });

  it('are not sent again to who has them', async () => {
    const file = await namedFile();
    const etag = (await fetch(dusk.url + file)).headers.get('etag')!;
    const again = await fetch(dusk.url + file, { headers: { 'if-none-match': etag } });
    expect([again.status, await again.text()]).toEqual([304, '']);
  });

  it('are asked for by their head too', async () => {
    const answer = await fetch(dusk.url + (await namedFile()), { method: 'HEAD' });
    expect([answer.status, Number(answer.headers.get('content-length')) > 0]).toEqual([200, true]);
  });

  it.each(['/_astro/nothing.js', '/_astro/../../package.json', '/_astro/%2e%2e/%2e%2e/server/entry.mjs', '/../package.json'])(
    'are none besides: %s',
    async (path) => {
      // As it stands: fetch would put the address in order first.
      expect(await statusOf('GET', path)).toBe(404);
    },
  );
});

function statusOf(method: string, path: string): Promise<number | undefined> {
  const { hostname, port } = new URL(dusk.url);
  return new Promise((resolve, reject) => {
    const asked = request({ hostname, port, path, method }, (answer) => {
      answer.resume();
      resolve(answer.statusCode);
    });
    asked.on('error', reject).end();
  });
}

describe('an address', () => {
  it.each(['GET', 'POST'])('that cannot be read is refused (%s)', async (method) => {
    expect(await statusOf(method, '/%E0%A4%A')).toBe(400);
  });

  it('that nobody knows is a page that says so', async () => {
    const answer = await fetch(`${dusk.url}/nowhere`);
    expect([answer.status, answer.headers.get('content-type')]).toEqual([404, 'text/html']);
  });
});

describe('a sender', () => {
  it('that breaks off in the middle of a body takes nothing with it', async () => {
    const body = encodeTracesProtobuf(makeSpans({ id: 0, from: 0, to: 9 }));
    const { hostname, port } = new URL(dusk.url);
    const headers = { 'content-type': PROTOBUF, 'content-length': String(body.length) };
    for (const after of [0, 1, 2, 5, 10, 20, 50, 100]) {
      const asked = request({ hostname, port, path: '/v1/traces', method: 'POST', headers });
      asked.on('error', () => {});
      asked.write(body.subarray(0, body.length / 2));
      await new Promise((resolve) => setTimeout(resolve, after));
      asked.destroy();
    }
    // What was held for them is let go, and the same is taken when it comes whole.
    await until(
      () => getJson(dusk.url, '/api/intake'),
      ({ held }) => held.requests === 0 && held.bytes === 0,
    );
    expect((await post(dusk.url, body, PROTOBUF)).status).toBe(200);
    expect((await getJson(dusk.url, '/api/health')).spans).toBe(1);
  });

  it('is answered on the same connection after a body that was refused before it was read', async () => {
    const agent = new Agent({ keepAlive: true, maxSockets: 1 });
    const { hostname, port } = new URL(dusk.url);
    const ask = (type: string, body: Uint8Array) =>
      new Promise<number | undefined>((resolve, reject) => {
        const asked = request(
          { agent, hostname, port, path: '/v1/traces', method: 'POST', headers: { 'content-type': type } },
          (answer) => answer.resume().on('end', () => resolve(answer.statusCode)),
        );
        asked.on('error', reject).end(body);
      });
    const body = encodeTracesProtobuf(makeSpans({ id: 7, from: 0, to: 9 }));
    expect([await ask('text/plain', Buffer.alloc(200_000)), await ask(PROTOBUF, body)]).toEqual([415, 200]);
    agent.destroy();
  });

  it('leaves no error in the log through all of this', () => {
    expect(dusk.log()).not.toMatch(/error|Could not render/i);
  });
});
