import { promisify } from 'node:util';
import { inflateRaw } from 'node:zlib';
import { and, eq, getTableName, sql } from 'drizzle-orm';
import { readRequest, type TelemetryRequest } from '../../formats/otlp/wire/request.ts';
import { database } from '../database/connection.ts';
import type { BlockTable } from '../schema/blocks.ts';

/** The export request that a block holds. */
export async function unpack(data: Buffer): Promise<TelemetryRequest> {
  return readRequest(await inflated(data));
}

const inflated = promisify(inflateRaw) as (data: Buffer) => Promise<Buffer>;

/** Blocks that are fetched at a time. */
const AT_ONCE = 64;

/** Blocks by their ids, in no order; while some are read the next are fetched and unpacked. Those that are no longer kept are left out. */
export async function* blocksOf(
  table: BlockTable,
  day: number,
  ids: readonly number[],
): AsyncGenerator<{ id: number; request: TelemetryRequest }> {
  let next = fetchBlocks(table, day, ids.slice(0, AT_ONCE));
  for (let from = 0; from < ids.length; from += AT_ONCE) {
    const blocks = await next;
    if (from + AT_ONCE < ids.length) {
      next = fetchBlocks(table, day, ids.slice(from + AT_ONCE, from + 2 * AT_ONCE));
      // A reader that stops early does not get errors of the rest.
      next.catch(() => {});
    }
    for (const { id, raw } of blocks) yield { id, request: readRequest(raw) };
  }
}

async function fetchBlocks(table: BlockTable, day: number, ids: readonly number[]): Promise<{ id: number; raw: Buffer }[]> {
  const rows = await database()
    .select({ id: table.blockId, data: table.data })
    .from(table)
    .where(and(eq(table.day, sql.placeholder('day')), sql`${table.blockId} = ANY(${sql.placeholder('ids')}::bigint[])`))
    .prepare(`blocks of ${getTableName(table)}`)
    .execute({ day, ids: `{${ids.join(',')}}` });
  return Promise.all(rows.map(async ({ id, data }) => ({ id, raw: await inflated(data) })));
}
