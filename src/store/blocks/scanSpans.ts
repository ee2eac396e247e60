import { promisify } from 'node:util';
import { inflateRaw } from 'node:zlib';
import { and, desc, gte, lte, sql } from 'drizzle-orm';
import { readRequest, type TelemetryRequest } from '../../formats/otlp/wire/request.ts';
import { database } from '../database/connection.ts';
import { daysAround } from '../retention/days.ts';
import { spanBlock } from '../schema/index.ts';

const AT_ONCE = 32;
const HOUR_NS = 3_600_000_000_000n;

/**
 * Reads all blocks that may hold spans of a stretch of time, the latest first, and unpacks those whose bytes have `needle` in them.
 *
 * @param needle bytes that what is looked for must contain
 */
export async function* blocksWith(
  needle: Buffer,
  from: bigint | undefined,
  to: bigint | undefined,
): AsyncGenerator<{ id: number; day: number; request: TelemetryRequest }> {
  const { first, last } = daysAround(from, to);
  const ids = await database()
    .select({ id: spanBlock.blockId, day: spanBlock.day })
    .from(spanBlock)
    .where(
      and(
        sql`${spanBlock.day} BETWEEN ${Math.max(first, 1)} AND ${last}`,
        from === undefined ? undefined : gte(spanBlock.lastNs, from),
        // A trace may go on for a while after its first start.
        to === undefined ? undefined : lte(spanBlock.firstNs, to + HOUR_NS),
      ),
    )
    .orderBy(desc(spanBlock.lastNs));
  for (let at = 0; at < ids.length; at += AT_ONCE) {
    const part = ids.slice(at, at + AT_ONCE);
    const { rows } = await database().execute(
      sql`SELECT block_id, day, data FROM span_block WHERE day BETWEEN ${Math.min(...part.map((it) => it.day))} AND ${Math.max(
        ...part.map((it) => it.day),
      )} AND block_id = ANY(${`{${part.map((it) => it.id).join(',')}}`}::bigint[])`,
    );
    for (const row of rows as unknown as { block_id: string; day: number; data: Buffer }[]) {
      const bytes = (await promisify(inflateRaw)(row.data)) as Buffer;
      if (bytes.includes(needle)) yield { id: Number(row.block_id), day: row.day, request: readRequest(bytes) };
    }
  }
}
