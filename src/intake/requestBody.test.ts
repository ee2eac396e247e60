import { randomBytes } from 'node:crypto';
import { getDefaultHighWaterMark, Readable } from 'node:stream';
import { gzipSync } from 'node:zlib';
import { expect, it } from 'vitest';
import { BodyMemory } from './bodyMemory.ts';
import { collectBody, RefusedBody, unpackBody } from './requestBody.ts';
import { intakeSettings } from './settings.ts';

type Request = readonly [Headers, Readable];
const collect = ([headers, incoming]: Request, limit: number) => collectBody(headers, incoming, limit);
const readBody = async (it: Request) => unpackBody(await collect(it, 1000), 5000, new BodyMemory());
const request = (body: Iterable<Uint8Array>, headers: Record<string, string> = {}): Request => [
  new Headers(headers),
  Readable.from(body, { objectMode: false }),
];
const refusal = async (it: Request) => {
  const error = await readBody(it).catch((caught: unknown) => caught);
  return error instanceof RefusedBody ? error.status : error;
};

it('reads plain and gzip', async () => {
  expect((await readBody(request([Buffer.from('ahoy')]))).toString()).toBe('ahoy');
  expect((await readBody(request([gzipSync('ahoy')], { 'content-encoding': 'gzip' }))).toString()).toBe('ahoy');
});

it('stops at the limit, told of it or not', async () => {
  expect(await refusal(request([Buffer.alloc(1001)]))).toBe(413);
  let sent = 0;
  const endless = function* () {
    for (;;) {
      sent += 100;
      yield new Uint8Array(100);
    }
  };
  expect(await refusal(request(endless()))).toBe(413);
  expect(sent).toBeLessThan(2000 + getDefaultHighWaterMark(false));
});

it('is no more than was said', async () => {
  const said = (size: number) => collect(request([Buffer.from('ahoy')], { 'content-length': String(size) }), 1000);
  expect(await said(3).catch((error: unknown) => error)).toMatchObject({ status: 413 });
  expect(await said(1001).catch((error: unknown) => error)).toMatchObject({ status: 413 });
});

it('lies in few pieces of memory of their own, however it came', async () => {
  const bytes = randomBytes(200_000);
  for (const sizes of [[1], [40_000], [10, 70_000, 3, 16_384, 16_383, 5]]) {
    const inPieces = function* () {
      // Not in memory of its own.
      for (let at = 0, turn = 0; at < bytes.length; at += sizes[turn++ % sizes.length])
        yield bytes.subarray(at, at + sizes[turn % sizes.length]);
    };
    const packed = await collect(request(inPieces()), 300_000);
    expect(packed.unpackedBytes).toBe(200_000);
    expect(packed.parts.every((part) => part.buffer.byteLength === part.byteLength)).toBe(true);
    expect(packed.parts.length).toBeLessThan(30);
    expect((await unpackBody(packed, 300_000, new BodyMemory())).equals(bytes)).toBe(true);
  }
});

it('knows what its gzip says it has, also when that stands in two pieces', async () => {
  const packed = gzipSync(randomBytes(50_000));
  const inTwo = [packed.subarray(0, -2), packed.subarray(-2)];
  expect((await collect(request(inTwo, { 'content-encoding': 'gzip' }), 100_000)).unpackedBytes).toBe(50_000);
});

it.each(['before', 'while'])('is refused when its sender breaks off %s it is read', async (when) => {
  const incoming = new Readable({ read() {} });
  incoming.push('aho');
  const breakOff = () => incoming.destroy();
  if (when === 'before') {
    breakOff();
    await new Promise((resolve) => incoming.once('close', resolve));
  } else setImmediate(breakOff);
  expect(await refusal([new Headers(), incoming])).toBe(400);
});

it('does not unpack more than the limit', async () => {
  expect(await refusal(request([gzipSync(Buffer.alloc(100_000))], { 'content-encoding': 'gzip' }))).toBe(413);
});

it('gives a body no more room than its gzip says it needs', async () => {
  const packed = gzipSync(Buffer.alloc(4000));
  packed.writeUInt32LE(10, packed.length - 4);
  expect(await refusal(request([packed], { 'content-encoding': 'gzip' }))).toBe(400);
});

it('says what it cannot unpack', async () => {
  expect(await refusal(request([Buffer.from('not gzip')], { 'content-encoding': 'gzip' }))).toBe(400);
  expect(await refusal(request([Buffer.from('x')], { 'content-encoding': 'br' }))).toBe(415);
});

it('says that a body broke off', async () => {
  const broken = new Readable({ read: () => broken.destroy(new Error('gone')) });
  expect(await refusal([new Headers(), broken])).toBe(400);
});

it('has limits that can be set, and not to nonsense', () => {
  expect(intakeSettings({})).toMatchObject({ bodyBytes: 8 * 2 ** 20, unpackedBytes: 32 * 2 ** 20 });
  expect(intakeSettings({ DUSK_BODY_BYTES: '100' }).bodyBytes).toBe(100);
  expect(() => intakeSettings({ DUSK_UNPACKED_BYTES: 'lots' })).toThrow('DUSK_UNPACKED_BYTES');
});
