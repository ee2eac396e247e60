import { promisify } from 'node:util';
import { inflateRaw } from 'node:zlib';
import { and, eq, inArray } from 'drizzle-orm';
import { readRequest, type TelemetryRequest } from '../formats/otlp/request.ts';
import { database } from './connection.ts';
import type { BlockTable } from './schema/blocks.ts';

/** The export request that a block holds. */
export async function unpack(data: Buffer): Promise<TelemetryRequest> {
  return readRequest((await promisify(inflateRaw)(data)) as Buffer);
}

/** Blocks by their ids, a few at a time, in no order. Those that are no longer kept are left out. */
export async function* blocksOf(
  table: BlockTable,
  day: number,
  ids: readonly number[],
): AsyncGenerator<{ id: number; request: TelemetryRequest }> {
  const AT_ONCE = 64;
  for (let from = 0; from < ids.length; from += AT_ONCE) {
    const rows = await database()
      .select({ id: table.blockId, data: table.data })
      .from(table)
      .where(and(eq(table.day, day), inArray(table.blockId, ids.slice(from, from + AT_ONCE))));
    for (const { id, data } of rows) yield { id, request: await unpack(data) };
  }
}
