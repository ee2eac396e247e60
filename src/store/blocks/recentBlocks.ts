import { and, asc, desc, gte, lt, sql } from 'drizzle-orm';
import type { Signal } from '../../formats/otlp/wire/messages.ts';
import type { TelemetryRequest } from '../../formats/otlp/wire/request.ts';
import { database } from '../database/connection.ts';
import { dayOf } from '../retention/days.ts';
import { BLOCK_TABLES } from '../schema/index.ts';
import { unpack } from './unpackBlocks.ts';

/** The export requests of a signal that came last, the latest first. */
export async function recentRequests(signal: Signal, most: number): Promise<TelemetryRequest[]> {
  const table = BLOCK_TABLES[signal];
  const rows = await database().select({ data: table.data }).from(table).orderBy(desc(table.lastNs)).limit(most);
  return Promise.all(rows.map(({ data }) => unpack(data)));
}

/**
 * The kept requests of a signal whose records began in a stretch of time, or touch it, oldest first. Read some at a time, so that any
 * length of time can be gone through.
 *
 * @param from epoch nanoseconds, inclusive @param to exclusive
 */
export async function* requestsBetween(signal: Signal, from: bigint, to: bigint): AsyncGenerator<TelemetryRequest> {
  const table = BLOCK_TABLES[signal];
  const AT_ONCE = 32;
  let after: { firstNs: bigint; blockId: number } | undefined;
  for (;;) {
    const beyond = after ? sql`(${table.firstNs}, ${table.blockId}) > (${after.firstNs}, ${after.blockId})` : undefined;
    const inDays = and(gte(table.day, dayOf(from) - 1), lt(table.day, dayOf(to) + 2));
    const rows = await database()
      .select({ firstNs: table.firstNs, blockId: table.blockId, data: table.data })
      .from(table)
      .where(and(inDays, gte(table.lastNs, from), lt(table.firstNs, to), beyond))
      .orderBy(asc(table.firstNs), asc(table.blockId))
      .limit(AT_ONCE);
    for (const { data } of rows) yield unpack(data);
    const last = rows.at(-1);
    if (!last || rows.length < AT_ONCE) return;
    after = last;
  }
}
