import { gzipSync } from 'node:zlib';
import { expect, it } from 'vitest';
import { collectBody, RefusedBody, unpackBody } from './requestBody.ts';
import { intakeSettings } from './settings.ts';

const readBody = async (it: Request) => unpackBody(await collectBody(it, 1000), 5000);
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

it('lies in memory of its own when its size was said, and is no more than that', async () => {
  const said = (size: number) => collectBody(request(Buffer.from('ahoy'), { 'content-length': String(size) }), 1000);
  const { bytes } = await said(4);
  expect([bytes.toString(), bytes.buffer.byteLength]).toEqual(['ahoy', 4]);
  expect((await said(9)).bytes.toString()).toBe('ahoy');
  expect(await said(3).catch((error: unknown) => error)).toMatchObject({ status: 413 });
  expect(await said(1001).catch((error: unknown) => error)).toMatchObject({ status: 413 });
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
