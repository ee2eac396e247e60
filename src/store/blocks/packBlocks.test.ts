import { describe, expect, it } from 'vitest';
import type { RecordGroup } from '../../formats/otlp/wire/request.ts';
import { type Arrival, packBlocks } from './packBlocks.ts';
import { unpack } from './unpackBlocks.ts';

const NONE = new Uint8Array(0);
const group = (name: string): RecordGroup => ({
  resource: Buffer.from(`\n${String.fromCharCode(name.length)}${name}`),
  besideResource: NONE,
  scope: NONE,
  besideScope: NONE,
  records: [],
});
const HOLDS = group('holds');
const BERTHS = group('berths');

/** A record of so many bytes that says which it is. */
const arrival = (at: number, { day = 100, of = HOLDS, bytes = 8 } = {}): Arrival => {
  const record = Buffer.alloc(Math.max(bytes, 6));
  record.writeUInt8(0x0a, 0);
  record.writeUInt32LE(at, 2);
  return { group: of, record, firstNs: BigInt(1000 + at), day };
};
const pack = (arrivals: readonly Arrival[], attempt = 1) => packBlocks(arrivals, 'hash', attempt);
const numbersIn = async (data: Buffer) =>
  (await unpack(data)).groups.flatMap(({ records }) => records.map((record) => Buffer.from(record).readUInt32LE(2)));

describe('blocks', () => {
  it('hold all that came, once, whatever their number', async () => {
    const arrivals = Array.from({ length: 1700 }, (_, at) => arrival(at, { of: at % 3 === 0 ? BERTHS : HOLDS }));
    const blocks = await pack(arrivals);
    expect(blocks.map((block) => block.arrivals.length)).toEqual([512, 512, 512, 164]);
    const numbers = (await Promise.all(blocks.map(({ data }) => numbersIn(data)))).flat();
    expect(numbers.sort((a, b) => a - b)).toEqual(arrivals.map((_, at) => at));
  });

  it('are of one day each', async () => {
    const blocks = await pack(Array.from({ length: 20 }, (_, at) => arrival(at, { day: 100 + (at % 2) })));
    expect(blocks.map(({ day, arrivals }) => [day, arrivals.every((it) => it.day === day)])).toEqual([
      [100, true],
      [101, true],
    ]);
  });

  it('are closed when they are large, and one record may be larger than a block', async () => {
    const blocks = await pack([arrival(0, { bytes: 200_000 }), arrival(1, { bytes: 200_000 }), arrival(2, { bytes: 900_000 })]);
    expect(blocks.map((block) => block.arrivals.length)).toEqual([2, 1]);
  });

  it('know the first and the last time of their records', async () => {
    const [block] = await pack([arrival(5), { ...arrival(3), lastNs: 9000n }, arrival(4)]);
    expect([block.firstNs, block.lastNs]).toEqual([1003n, 9000n]);
  });

  it('have ids of their own, the same for the same request, others at another attempt', async () => {
    const arrivals = Array.from({ length: 1200 }, (_, at) => arrival(at));
    const ids = async (attempt: number) => (await pack(arrivals, attempt)).map(({ id }) => id);
    expect(await ids(1)).toEqual(await ids(1));
    const all = [...(await ids(1)), ...(await ids(2))];
    expect(new Set(all).size).toBe(6);
    expect(all.every(Number.isSafeInteger)).toBe(true);
  });

  it('are none of nothing', async () => expect(await pack([])).toEqual([]));
});
