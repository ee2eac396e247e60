import { sql } from 'drizzle-orm';
import { innerMap } from '../../core/maps/innerMap.ts';
import { type CallSum, noCalls } from '../../core/measures/callSum.ts';
import { emptySketch, readEncoded } from '../../core/measures/sketch.ts';
import { SketchTable } from '../../core/measures/sketchTable.ts';
import { type CallBlocks, firstBucketOver } from '../../core/verdict/callBlocks.ts';
import { database } from '../database/connection.ts';
import { daysOfMinutes } from './daysOfMinutes.ts';
import { addToTable, eachJoined, JOINED, mergeSketches } from './mergedSketches.ts';
import { rememberedHours } from './rememberedHours.ts';
import { minuteOf } from './rollups.ts';

/** Requests by their entry operation, or what each instance of a service handled. */
const TABLES = { entries: 'operation_minute WHERE entry AND', instances: 'instance_minute WHERE' } as const;

/** Calls of some minutes, with their sketches as `JOINED` gives them. */
interface StoredBlock {
  /** Minutes since 1970-01-01. */
  readonly at: number;
  readonly calls: number;
  readonly failures: number;
  readonly sketches: Buffer;
}
export type StoredBlocks = ReadonlyMap<number, readonly StoredBlock[]>;

const HOUR = 60;

/**
 * The rollups of whole minutes by key in blocks of `step` minutes, in order; blocks without a call are left out. Whole hours are remembered.
 *
 * @param wanted minutes: a part of an hour, or hours, which are read one by one @param from epoch nanoseconds @param to exclusive
 */
export async function rollupBlocks(of: keyof typeof TABLES, from: bigint, to: bigint, wanted: number): Promise<StoredBlocks> {
  const step = Math.min(HOUR, wanted);
  const first = minuteOf(from);
  const end = minuteOf(to - 1n) + 1;
  const firstHour = Math.ceil(first / HOUR);
  const endHour = Math.floor(end / HOUR);
  const parts: StoredBlocks[] = [];
  if (endHour <= firstHour) parts.push(await readBlocks(of, first, end, step));
  else {
    parts.push(await readBlocks(of, first, firstHour * HOUR, step));
    parts.push(...(await wholeHours(of, firstHour, endHour, step)));
    parts.push(await readBlocks(of, endHour * HOUR, end, step));
  }
  const all = new Map<number, StoredBlock[]>();
  for (const part of parts) for (const [key, blocks] of part) all.set(key, [...(all.get(key) ?? []), ...blocks]);
  return all;
}

async function wholeHours(of: keyof typeof TABLES, first: number, end: number, step: number): Promise<StoredBlocks[]> {
  const { rows } = await database().execute(sql`SELECT minute / ${sql.raw(String(HOUR))} AS hour, sum(calls)::text AS calls
    FROM ${sql.raw(TABLES[of])} ${daysOfMinutes(first * HOUR, end * HOUR)} AND minute >= ${first * HOUR} AND minute < ${end * HOUR} GROUP BY 1 ORDER BY 1`);
  const hours = (rows as unknown as { hour: number; calls: string }[]).map(({ hour, calls }) => ({ hour, version: calls }));
  return rememberedHours<StoredBlocks>(
    `blocks ${of} ${step}`,
    hours,
    async (from, to) => byHour(await readBlocks(of, from * HOUR, to * HOUR, step)),
    () => new Map(),
  );
}

function byHour(blocks: StoredBlocks): Map<number, StoredBlocks> {
  const hours = new Map<number, Map<number, StoredBlock[]>>();
  for (const [key, list] of blocks)
    for (const block of list) {
      const ofHour = innerMap(hours, Math.floor(block.at / HOUR));
      const known = ofHour.get(key);
      if (known) known.push(block);
      else ofHour.set(key, [block]);
    }
  return hours;
}

async function readBlocks(of: keyof typeof TABLES, first: number, end: number, step: number): Promise<StoredBlocks> {
  const blocks = new Map<number, StoredBlock[]>();
  if (end <= first) return blocks;
  const { rows } = await database().execute(sql`SELECT key_id AS "keyId", minute / ${sql.raw(String(step))} AS block,
      sum(calls)::float8 AS calls, sum(failures)::float8 AS failures, ${sql.raw(JOINED)} AS sketches
    FROM ${sql.raw(TABLES[of])} ${daysOfMinutes(first, end)} AND key_id > 0 AND minute >= ${first} AND minute < ${end} GROUP BY 1, 2 ORDER BY 2`);
  for (const { keyId, block, sketches, ...counts } of rows as unknown as (Omit<StoredBlock, 'at'> & {
    keyId: number;
    block: number;
  })[]) {
    const list = blocks.get(keyId) ?? [];
    blocks.set(keyId, list);
    // A copy: what came in one answer of the database would else be held by the least of its parts.
    list.push({ at: block * step, ...counts, sketches: Buffer.from(sketches) });
  }
  return blocks;
}

/** The calls of some blocks of one key, by the minute at which each begins. */
export function callsOverTime(blocks: readonly StoredBlock[]): Map<number, CallSum> {
  return new Map(
    blocks.map(({ at, calls, failures, sketches }) => {
      const sketch = emptySketch();
      mergeSketches(sketch, sketches);
      return [at, { ...noCalls(), calls, failures, sketch }];
    }),
  );
}

/** The blocks of some keys as those of one row. */
export function blocksOfKeys(stored: StoredBlocks, keys: readonly number[], step: number): CallBlocks {
  const byTime = new Map<number, { at: number; calls: number; failures: number; sketches: Buffer[] }>();
  for (const key of keys)
    for (const { at: begins, calls, failures, sketches } of stored.get(key) ?? []) {
      const at = Math.floor(begins / step) * step;
      const block = byTime.get(at) ?? { at, calls: 0, failures: 0, sketches: [] };
      byTime.set(at, block);
      block.calls += calls;
      block.failures += failures;
      block.sketches.push(sketches);
    }
  const blocks = [...byTime.values()].sort((a, b) => a.at - b.at);
  return {
    step,
    blocks,
    over: (bounds) => {
      const firsts = bounds.map(firstBucketOver);
      const counts = bounds.map(() => blocks.map(() => 0));
      for (const [at, { sketches }] of blocks.entries())
        for (const joined of sketches)
          eachJoined(joined, (start, end) => {
            readEncoded(joined, start, end, (bucket, times) => {
              for (let bound = 0; bound < firsts.length; bound++) if (bucket >= firsts[bound]) counts[bound][at] += times;
            });
          });
      return counts;
    },
    quantiles: (first, last, shares) => {
      const table = new SketchTable();
      for (const { sketches } of blocks.slice(first, last + 1)) for (const joined of sketches) addToTable(table, joined);
      return table.quantiles(shares);
    },
  };
}
