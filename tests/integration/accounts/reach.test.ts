import { readFileSync } from 'node:fs';
import { type IncomingHttpHeaders, request as plainRequest } from 'node:http';
import { request as secureRequest } from 'node:https';
import { connect } from 'node:net';
import { resolve } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { administratorLink } from '../../../src/server/commands/administratorLink.ts';
import { closeConnections } from '../../../src/store/database/connection.ts';
import { type Installation, install } from '../../support/installation.ts';
import { join } from '../../support/people.ts';

const cert = resolve('tests/fixtures/tls/cert.pem');
const key = resolve('tests/fixtures/tls/key.pem');
const NAME = 'lantern.osier.example';

let dusk: Installation;
let port: number;
beforeAll(async () => {
  dusk = await install({ reach: { accounts: true, address: `https://${NAME}`, names: [], proxies: [], tls: { cert, key } } });
  port = Number(new URL(dusk.url).port);
});
afterAll(() => dusk?.stop());

interface Got {
  readonly status: number;
  readonly headers: IncomingHttpHeaders;
  readonly body: string;
}

/** Asks as a browser that knows the certificate would. */
function ask(path: string, { host = NAME, method = 'GET', body = '', headers = {} } = {}): Promise<Got> {
  return new Promise((answer, fail) => {
    const request = secureRequest(
      {
        host: '127.0.0.1',
        port,
        path,
        method,
        servername: NAME,
        ca: readFileSync(cert),
        headers: { host, ...(body ? { 'content-type': 'application/json' } : {}), ...headers },
      },
      (response) => {
        let text = '';
        response.on('data', (part) => {
          text += part;
        });
        response.on('end', () => answer({ status: response.statusCode ?? 0, headers: response.headers, body: text }));
      },
    );
    request.on('error', fail);
    request.end(body);
  });
}

describe('an application that is reached by others', () => {
  it('answers encrypted, and tells browsers to ask for that alone', async () => {
    const { status, headers } = await ask('/sign-in');
    expect([status, headers['strict-transport-security']]).toEqual([200, 'max-age=31536000']);
    await expect(
      new Promise((answer, fail) => plainRequest({ host: '127.0.0.1', port, path: '/' }, answer).on('error', fail).end()),
    ).rejects.toThrow();
  });

  it('answers to its own names alone', async () => {
    expect((await ask('/sign-in', { host: 'evil.example' })).status).toBe(421);
    expect((await ask('/sign-in', { host: `${NAME}.evil.example` })).status).toBe(421);
    expect((await ask('/sign-in', { host: `localhost:${port}` })).status).toBe(200);
  });

  it('gives cookies that go over encrypted ways alone', async () => {
    const body = JSON.stringify({ email: 'nobody@osier.example', password: 'not the password' });
    const { status } = await ask('/api/account/sign-in/email', { method: 'POST', body, headers: { origin: `https://${NAME}` } });
    expect(status).toBe(401);
    process.env.DATABASE_URL = dusk.cluster.url;
    const path = await administratorLink();
    await closeConnections();
    // By the door inside, which is on loopback and as it is.
    await join(dusk.application.insideUrl, path, 'Ines Halloran', 'ines@osier.example');
    const signIn = JSON.stringify({ email: 'ines@osier.example', password: 'four ferries cross at dusk' });
    const { headers } = await ask('/api/account/sign-in/email', {
      method: 'POST',
      body: signIn,
      headers: { origin: `https://${NAME}` },
    });
    expect(headers['set-cookie']?.[0]).toMatch(/^__Secure-lantern\.session_token=.*Secure/);
    const cookie = headers['set-cookie']![0].split(';')[0];
    expect((await ask('/api/environments', { headers: { cookie } })).status).toBe(200);
  });

  it('believes no forwarding headers of who is no proxy of its own', async () => {
    const headers = { 'x-forwarded-for': '10.9.9.9', 'x-forwarded-proto': 'http' };
    expect((await ask('/sign-in', { headers })).headers['strict-transport-security']).toBeDefined();
  });

  it('does not answer TRACE, nor what is no HTTP', async () => {
    expect((await ask('/now', { method: 'TRACE' })).status).toBe(405);
    const said = await new Promise<string>((answer) => {
      const socket = connect(port, '127.0.0.1', () => socket.write('GET / HTTP/1.1\r\n\r\n'));
      let text = '';
      socket.on('data', (part) => {
        text += part;
      });
      socket.on('close', () => answer(text));
      socket.on('error', () => answer(text));
    });
    expect(said).not.toContain('200 OK');
  });
});
