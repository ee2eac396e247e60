import { createServer, type IncomingHttpHeaders, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, beforeEach, expect, it } from 'vitest';
import { callWebhook, signatureOf } from './callWebhook.ts';
import { rangesOf } from './reachable.ts';

let server: Server;
let port: number;
let calls: { path: string; headers: IncomingHttpHeaders; body: string }[] = [];
beforeAll(async () => {
  server = createServer(async (request, response) => {
    let body = '';
    for await (const part of request) body += part;
    calls.push({ path: request.url ?? '', headers: request.headers, body });
    if (request.url === '/away') response.writeHead(302, { location: '/taken' });
    else if (request.url === '/broken') response.writeHead(500);
    else if (request.url === '/endless') {
      const more = setInterval(() => response.write('x'.repeat(20_000)), 1);
      response.on('close', () => clearInterval(more));
      return;
    }
    response.end('ok');
  });
  await new Promise<void>((listening) => server.listen(0, '127.0.0.1', listening));
  port = (server.address() as AddressInfo).port;
});
afterAll(() => void server.close());
beforeEach(() => {
  calls = [];
});

const allowed = rangesOf(['127.0.0.0/8']);
const call = (path: string, more: object = {}) =>
  callWebhook(`http://127.0.0.1:${port}${path}`, '{"incident":1}', {
    secret: 'a secret',
    allowed,
    now: 1_750_000_000_123,
    ...more,
  });

it('is sent once, signed with when it was sent', async () => {
  expect(await call('/taken')).toBe('');
  expect(calls).toHaveLength(1);
  const [{ headers, body }] = calls;
  expect(body).toBe('{"incident":1}');
  expect(headers['lantern-sent']).toBe('1750000000');
  expect(headers['lantern-signature']).toBe(signatureOf('a secret', '1750000000', body));
  // Worked out with `openssl dgst -sha256 -hmac "a secret"` over 1750000000.{"incident":1}.
  expect(headers['lantern-signature']).toBe('sha256=e17a8cb7c154b644a9b19ad2af9ce8b2942dd254073ce47e05cb699edfcfa89f');
});

it('has no signature without a secret', async () => {
  await call('/taken', { secret: '' });
  expect(calls[0].headers).not.toHaveProperty('lantern-signature');
});

it('says what was answered, and follows nothing that leads elsewhere', async () => {
  expect(await call('/away')).toBe('it answered 302');
  expect(await call('/broken')).toBe('it answered 500');
  expect(calls.map(({ path }) => path)).toEqual(['/away', '/broken']);
});

it('is not sent to what is not public, by address or by name, unless that is allowed', async () => {
  for (const host of ['127.0.0.1', 'localhost', '[::1]', '0.0.0.0', '2130706433', '0x7f.1'])
    expect(await callWebhook(`http://${host}:${port}/taken`, '{}', { secret: '', allowed: rangesOf([]) }), host).toContain(
      'is not public',
    );
  expect(calls).toEqual([]);
});

it('reads no more of an answer than it needs', async () => {
  expect(await call('/endless')).toBe('');
});

it('says that nobody is there', async () => {
  expect(await callWebhook('http://127.0.0.1:1/', '{}', { secret: '', allowed })).toMatch(/ECONNREFUSED/);
  expect(await callWebhook('http://no-such-name.invalid/', '{}', { secret: '', allowed })).toContain('is not known');
});
