import { createHash } from 'node:crypto';
import { deflateRawSync } from 'node:zlib';
import { type RecordGroup, writeRequest } from '../../formats/otlp/wire/request.ts';
import { binaryRows, type Copy } from '../database/copyRows.ts';

/** A record on its way into a block. */
export interface Arrival {
  readonly group: RecordGroup;
  readonly record: Uint8Array;
  /** When it began, and, where that is not the same, the last time it speaks of; epoch nanoseconds. */
  readonly firstNs: bigint;
  readonly lastNs?: bigint;
  readonly day: number;
}

/** A block as it is kept. */
export interface PackedBlock {
  readonly id: number;
  readonly day: number;
  readonly records: number;
  /** The first and the last time of its records. */
  readonly firstNs: bigint;
  readonly lastNs: bigint;
  readonly rawBytes: number;
  readonly data: Buffer;
}

export interface ArrivalBlock<A extends Arrival> extends PackedBlock {
  readonly arrivals: readonly A[];
}

/** A block is closed when it has this many records or bytes; reading one trace unpacks all the blocks it lies in. */
const MOST_RECORDS = 512;
const MOST_BYTES = 256 * 1024;
/** Level 1 packs telemetry within a few per cent of the best, at a quarter of the time. */
const LEVEL = 1;

/** Whether a block of so many records and bytes is closed before the next. */
export function isFull(records: number, bytes: number): boolean {
  return records >= MOST_RECORDS || bytes >= MOST_BYTES;
}

/**
 * Packs records into blocks, each of one day.
 *
 * @param hash of the request, from which the blocks have their ids
 * @param attempt so that ids that are taken are not tried twice
 * @param beside what each block carries beside its resources
 */
export function packBlocks<A extends Arrival>(
  arrivals: readonly A[],
  hash: string,
  attempt: number,
  beside: Uint8Array = new Uint8Array(0),
): ArrivalBlock<A>[] {
  const full: A[][] = [];
  const open = new Map<number, { list: A[]; bytes: number }>();
  for (const arrival of arrivals) {
    let at = open.get(arrival.day);
    if (at && isFull(at.list.length, at.bytes)) {
      full.push(at.list);
      at = undefined;
    }
    if (!at) {
      at = { list: [], bytes: 0 };
      open.set(arrival.day, at);
    }
    at.list.push(arrival);
    at.bytes += arrival.record.length;
  }
  for (const { list } of open.values()) full.push(list);
  return full.map((list, part) => ({ ...packArrivals(list, blockId(hash, attempt, part), beside), arrivals: list }));
}

function packArrivals(arrivals: readonly Arrival[], id: number, beside: Uint8Array): PackedBlock {
  let firstNs = arrivals[0].firstNs;
  let lastNs = arrivals[0].lastNs ?? firstNs;
  for (const arrival of arrivals) {
    if (arrival.firstNs < firstNs) firstNs = arrival.firstNs;
    const last = arrival.lastNs ?? arrival.firstNs;
    if (last > lastNs) lastNs = last;
  }
  const byGroup = new Map<RecordGroup, Uint8Array[]>();
  for (const { group, record } of arrivals) {
    const records = byGroup.get(group);
    if (records) records.push(record);
    else byGroup.set(group, [record]);
  }
  const groups = [...byGroup].map(([group, records]) => ({ ...group, records }));
  return packBlock({ id, day: arrivals[0].day, firstNs, lastNs, records: arrivals.length }, groups, beside);
}

/** Packs one block. */
export function packBlock(
  block: Omit<PackedBlock, 'rawBytes' | 'data'>,
  groups: readonly RecordGroup[],
  beside: Uint8Array = new Uint8Array(0),
): PackedBlock {
  // At once rather than in a thread beside: nothing has to be kept for it meanwhile, and there is a thread of intake for each processor.
  const raw = writeRequest({ groups, beside }, memory);
  const rawBytes = raw.length;
  const data = deflateRawSync(raw, { level: LEVEL, chunkSize: Math.max(MIN_CHUNK, Math.ceil(rawBytes / 2)) });
  return { ...block, rawBytes, data };
}

/** Bytes of output that zlib takes at least at a time. */
const MIN_CHUNK = 4096;
/** What a block of the usual size is put together in, one after the other. */
const memory = Buffer.allocUnsafeSlow(2 * MOST_BYTES);

/** The id of a part of what a request had, 53 bits, so that a JS number holds it. */
export function blockId(hash: string, attempt: number, part: number): number {
  const digest = createHash('md5').update(`${hash} ${attempt} ${part}`).digest();
  return digest.readUInt32BE(0) * 2 ** 21 + (digest.readUInt32BE(4) >>> 11);
}

type BlockTableName = 'span_block' | 'log_block' | 'metric_block' | 'profile_block';

const COLUMNS = ['day', 'block_id', 'first_ns', 'last_ns', 'records', 'raw_bytes', 'data'];

/** Blocks for the table of their signal. To add them fails as a whole with PostgreSQL's unique violation when an id is taken. */
export function blockRows(table: BlockTableName, blocks: readonly PackedBlock[]): Copy {
  const rows = blocks.map(({ day, id, firstNs, lastNs, records, rawBytes, data }) => [
    { int: day },
    { bigint: BigInt(id) },
    { bigint: firstNs },
    { bigint: lastNs },
    { int: records },
    { int: rawBytes },
    data,
  ]);
  return { table, columns: COLUMNS, rows: rows.length === 0 ? '' : binaryRows(rows) };
}
