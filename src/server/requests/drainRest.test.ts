import { request as ask, createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { drainRest } from './drainRest.ts';

let server: Server;
let connections = 0;
beforeAll(async () => {
  server = createServer((request, response) => {
    drainRest(request, response);
    // Somebody begins to read, and gives up.
    request.once('data', () => {
      request.pause();
      response.writeHead(413);
      response.end('too long');
    });
    if (request.method === 'GET') response.end('fine');
  });
  server.on('connection', () => connections++);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
});
afterAll(() => void server.close());

it('a sender sees the answer though it was still writing, and its connection goes on', async () => {
  const { Agent } = await import('node:http');
  const agent = new Agent({ keepAlive: true, maxSockets: 1 });
  const send = (method: string, body?: Buffer) =>
    new Promise<string>((resolve, reject) => {
      const it = ask({ port: (server.address() as AddressInfo).port, method, agent }, (answer) => {
        let text = String(answer.statusCode);
        answer.on('data', (part) => {
          text += ` ${part}`;
        });
        answer.on('end', () => resolve(text));
      });
      it.on('error', reject);
      it.end(body);
    });
  for (let round = 0; round < 5; round++) expect(await send('POST', Buffer.alloc(8 * 2 ** 20))).toBe('413 too long');
  expect(await send('GET')).toBe('200 fine');
  expect(connections).toBe(1);
  agent.destroy();
});
