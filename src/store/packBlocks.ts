import { createHash } from 'node:crypto';
import { promisify } from 'node:util';
import { deflateRaw } from 'node:zlib';
import type pg from 'pg';
import { type RecordGroup, writeRequest } from '../formats/otlp/request.ts';

/** A record on its way into a block. */
export interface Arrival {
  readonly group: RecordGroup;
  readonly record: Uint8Array;
  /** When it began, and, where that is not the same, the last time it speaks of; epoch nanoseconds. */
  readonly firstNs: bigint;
  readonly lastNs?: bigint;
  readonly day: number;
}

export interface PackedBlock<A extends Arrival> {
  readonly id: number;
  readonly day: number;
  readonly arrivals: readonly A[];
  /** The first and the last time of its records. */
  readonly firstNs: bigint;
  readonly lastNs: bigint;
  readonly rawBytes: number;
  readonly data: Buffer;
}

/** A block is closed when it has this many records or bytes; reading one trace unpacks all the blocks it lies in. */
const MOST_RECORDS = 512;
const MOST_BYTES = 256 * 1024;
/** Level 1 packs telemetry within a few per cent of the best, at a quarter of the time. */
const LEVEL = 1;

/**
 * Packs records into blocks, each of one day. Records that `unit` says belong together stay in one block as long as it has room.
 *
 * @param hash of the request, from which the blocks have their ids
 * @param attempt so that ids that are taken are not tried twice
 * @param beside what each block carries beside its resources
 */
export async function packBlocks<A extends Arrival>(
  arrivals: readonly A[],
  hash: string,
  attempt: number,
  unit: (arrival: A) => string | null = () => null,
  beside: Uint8Array = new Uint8Array(0),
): Promise<PackedBlock<A>[]> {
  const full: A[][] = [];
  const open = new Map<number, { units: Map<string | null, A[]>; records: number; bytes: number }>();
  const close = (day: number) => {
    const at = open.get(day);
    if (at) full.push([...at.units.values()].flat());
    open.delete(day);
  };
  for (const [key, list] of groups(arrivals, unit)) {
    for (const arrival of list) {
      let at = open.get(arrival.day);
      if (at && (at.records >= MOST_RECORDS || at.bytes >= MOST_BYTES)) {
        close(arrival.day);
        at = undefined;
      }
      if (!at) {
        at = { units: new Map(), records: 0, bytes: 0 };
        open.set(arrival.day, at);
      }
      const together = at.units.get(key);
      if (together) together.push(arrival);
      else at.units.set(key, [arrival]);
      at.records++;
      at.bytes += arrival.record.length;
    }
  }
  for (const day of [...open.keys()]) close(day);
  return Promise.all(full.map((list, part) => pack(list, blockId(hash, attempt, part), beside)));
}

/** The arrivals of each unit, units in the order in which they first come. */
function groups<A>(arrivals: readonly A[], unit: (arrival: A) => string | null): Map<string | null, A[]> {
  const byUnit = new Map<string | null, A[]>();
  for (const arrival of arrivals) {
    const key = unit(arrival);
    const list = byUnit.get(key);
    if (list) list.push(arrival);
    else byUnit.set(key, [arrival]);
  }
  return byUnit;
}

async function pack<A extends Arrival>(arrivals: readonly A[], id: number, beside: Uint8Array): Promise<PackedBlock<A>> {
  const byGroup = new Map<RecordGroup, Uint8Array[]>();
  let firstNs = arrivals[0].firstNs;
  let lastNs = arrivals[0].lastNs ?? firstNs;
  for (const arrival of arrivals) {
    const records = byGroup.get(arrival.group);
    if (records) records.push(arrival.record);
    else byGroup.set(arrival.group, [arrival.record]);
    if (arrival.firstNs < firstNs) firstNs = arrival.firstNs;
    const last = arrival.lastNs ?? arrival.firstNs;
    if (last > lastNs) lastNs = last;
  }
  const raw = writeRequest({ groups: [...byGroup].map(([group, records]) => ({ ...group, records })), beside });
  const data = await promisify(deflateRaw)(raw, { level: LEVEL });
  return { id, day: arrivals[0].day, arrivals, firstNs, lastNs, rawBytes: raw.length, data: data as Buffer };
}

/** 53 bits, so that a JS number holds it. */
function blockId(hash: string, attempt: number, part: number): number {
  const digest = createHash('md5').update(`${hash} ${attempt} ${part}`).digest();
  return digest.readUInt32BE(0) * 2 ** 21 + (digest.readUInt32BE(4) >>> 11);
}

type BlockTableName = 'span_block' | 'log_block' | 'metric_block' | 'profile_block';

/** Blocks that are inserted by one statement. */
const AT_ONCE = 8;
const COLUMNS = 7;

/** Adds blocks to the table of their signal. Fails as a whole with PostgreSQL's unique violation when an id is taken. */
export async function insertBlocks(
  client: pg.PoolClient,
  table: BlockTableName,
  blocks: readonly PackedBlock<Arrival>[],
): Promise<void> {
  for (let from = 0; from < blocks.length; from += AT_ONCE) {
    const some = blocks.slice(from, from + AT_ONCE);
    const rows = some.map((_, row) => `(${Array.from({ length: COLUMNS }, (_, at) => `$${row * COLUMNS + at + 1}`).join(', ')})`);
    await client.query({
      name: `insert ${some.length} ${table}`,
      text: `INSERT INTO ${table} (day, block_id, first_ns, last_ns, records, raw_bytes, data) VALUES ${rows.join(', ')}`,
      values: some.flatMap(({ id, day, arrivals, firstNs, lastNs, rawBytes, data }) => [
        day,
        id,
        String(firstNs),
        String(lastNs),
        arrivals.length,
        rawBytes,
        data,
      ]),
    });
  }
}
