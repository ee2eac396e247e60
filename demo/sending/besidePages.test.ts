import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { besidePages } from './besidePages.ts';

let asked: number[] = [];
let looks = 0;
const server = createServer((_, response) => {
  looks++;
  response.setHeader('content-type', 'application/json').end(JSON.stringify({ analysisAsked: asked.shift() ?? 0 }));
});
beforeAll(() => new Promise<void>((ready) => server.listen(0, '127.0.0.1', ready)));
afterAll(() => void server.close());
const address = () => `http://127.0.0.1:${(server.address() as AddressInfo).port}`;

it('waits while somebody waits for an answer, and does not ask for each parcel whether anybody does', async () => {
  asked = [2, 1, 0];
  const nobodyWaits = besidePages(address());
  await nobodyWaits();
  expect([asked, looks]).toEqual([[], 3]);
  await nobodyWaits();
  expect(looks).toBe(3);
});

it('goes on where nothing answers: whether it can be reached is found out by what is sent', async () => {
  await expect(besidePages('http://127.0.0.1:9')()).resolves.toBeUndefined();
});
