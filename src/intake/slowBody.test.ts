import { Readable } from 'node:stream';
import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { collectBody, NoRoom, RefusedBody } from './requestBody.ts';

beforeEach(() => void vi.useFakeTimers({ toFake: ['setInterval', 'clearInterval'] }));
afterEach(() => void vi.useRealTimers());

const LIMIT = 2 ** 20;
const outcome = (incoming: Readable, take?: (bytes: number) => boolean) =>
  collectBody(new Headers({ 'content-length': String(LIMIT) }), incoming, LIMIT, take).catch((error: unknown) => error);
const settled = () => new Promise((resolve) => setImmediate(resolve));

it('is not waited for when it comes too slowly', async () => {
  const incoming = new Readable({ read() {} });
  const waited = outcome(incoming);
  for (let stretch = 0; stretch < 3; stretch++) {
    incoming.push(Buffer.alloc(50_000));
    await settled();
    vi.advanceTimersByTime(5_000);
  }
  incoming.push(Buffer.alloc(10));
  await settled();
  vi.advanceTimersByTime(5_000);
  const error = await waited;
  expect(error).toBeInstanceOf(RefusedBody);
  expect(error).toMatchObject({ status: 408 });
});

it('takes room for what has come, and none for what is only declared', async () => {
  const taken: number[] = [];
  const incoming = new Readable({ read() {} });
  const waited = outcome(incoming, (bytes) => {
    taken.push(bytes);
    return taken.length < 3;
  });
  incoming.push(Buffer.alloc(1));
  await settled();
  expect(taken).toEqual([1]);
  incoming.push(Buffer.alloc(100));
  await settled();
  incoming.push(Buffer.alloc(100));
  expect(await waited).toBeInstanceOf(NoRoom);
  expect(vi.getTimerCount()).toBe(0);
});
