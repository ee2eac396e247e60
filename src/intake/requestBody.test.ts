import { randomBytes } from 'node:crypto';
import { gzipSync } from 'node:zlib';
import { expect, it } from 'vitest';
import { BodyMemory } from './bodyMemory.ts';
import { collectBody, RefusedBody, unpackBody } from './requestBody.ts';
import { intakeSettings } from './settings.ts';

const readBody = async (it: Request) => unpackBody(await collectBody(it, 1000), 5000, new BodyMemory());
const request = (body: Buffer | ReadableStream, headers: Record<string, string> = {}) =>
  new Request('http://127.0.0.1/v1/traces', { method: 'POST', body: body as BodyInit, headers, duplex: 'half' } as RequestInit);
const refusal = async (it: Request) => {
  const error = await readBody(it).catch((caught: unknown) => caught);
  return error instanceof RefusedBody ? error.status : error;
};

it('reads plain and gzip', async () => {
  expect((await readBody(request(Buffer.from('ahoy')))).toString()).toBe('ahoy');
  expect((await readBody(request(gzipSync('ahoy'), { 'content-encoding': 'gzip' }))).toString()).toBe('ahoy');
});

it('stops at the limit, told of it or not', async () => {
  expect(await refusal(request(Buffer.alloc(1001)))).toBe(413);
  let sent = 0;
  const endless = new ReadableStream({
    pull: (controller) => {
      sent += 100;
      controller.enqueue(new Uint8Array(100));
    },
  });
  expect(await refusal(request(endless))).toBe(413);
  expect(sent).toBeLessThan(2000);
});

it('is no more than was said', async () => {
  const said = (size: number) => collectBody(request(Buffer.from('ahoy'), { 'content-length': String(size) }), 1000);
  expect(await said(3).catch((error: unknown) => error)).toMatchObject({ status: 413 });
  expect(await said(1001).catch((error: unknown) => error)).toMatchObject({ status: 413 });
});

it('lies in few pieces of memory of their own, however it came', async () => {
  const bytes = randomBytes(200_000);
  for (const sizes of [[1], [40_000], [10, 70_000, 3, 16_384, 16_383, 5]]) {
    let at = 0;
    let turn = 0;
    const inPieces = new ReadableStream({
      pull: (controller) => {
        // Not in memory of its own.
        controller.enqueue(bytes.subarray(at, at + sizes[turn % sizes.length]));
        at += sizes[turn++ % sizes.length];
        if (at >= bytes.length) controller.close();
      },
    });
    const packed = await collectBody(request(inPieces), 300_000);
    expect(packed.unpackedBytes).toBe(200_000);
    expect(packed.parts.every((part) => part.buffer.byteLength === part.byteLength)).toBe(true);
    expect(packed.parts.length).toBeLessThan(30);
    expect((await unpackBody(packed, 300_000, new BodyMemory())).equals(bytes)).toBe(true);
  }
});

it('knows what its gzip says it has, also when that stands in two pieces', async () => {
  const packed = gzipSync(randomBytes(50_000));
  const inTwo = new ReadableStream({
    start: (controller) => {
      controller.enqueue(new Uint8Array(packed.subarray(0, -2)));
      controller.enqueue(new Uint8Array(packed.subarray(-2)));
      controller.close();
    },
  });
  expect((await collectBody(request(inTwo, { 'content-encoding': 'gzip' }), 100_000)).unpackedBytes).toBe(50_000);
});

it('does not unpack more than the limit', async () => {
  expect(await refusal(request(gzipSync(Buffer.alloc(100_000)), { 'content-encoding': 'gzip' }))).toBe(413);
});

it('gives a body no more room than its gzip says it needs', async () => {
  const packed = gzipSync(Buffer.alloc(4000));
  packed.writeUInt32LE(10, packed.length - 4);
  expect(await refusal(request(packed, { 'content-encoding': 'gzip' }))).toBe(400);
});

it('says what it cannot unpack', async () => {
  expect(await refusal(request(Buffer.from('not gzip'), { 'content-encoding': 'gzip' }))).toBe(400);
  expect(await refusal(request(Buffer.from('x'), { 'content-encoding': 'br' }))).toBe(415);
});

it('says that a body broke off', async () => {
  const broken = new ReadableStream({ pull: (controller) => controller.error(new Error('gone')) });
  expect(await refusal(request(broken))).toBe(400);
});

it('has limits that can be set, and not to nonsense', () => {
  expect(intakeSettings({})).toMatchObject({ bodyBytes: 8 * 2 ** 20, unpackedBytes: 32 * 2 ** 20 });
  expect(intakeSettings({ DUSK_BODY_BYTES: '100' }).bodyBytes).toBe(100);
  expect(() => intakeSettings({ DUSK_UNPACKED_BYTES: 'lots' })).toThrow('DUSK_UNPACKED_BYTES');
});
