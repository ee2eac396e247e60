import { sql } from 'drizzle-orm';
import { readSpan } from '../../formats/otlp/span/spanRecord.ts';
import { blocksWith } from '../blocks/scanSpans.ts';
import { database } from '../database/connection.ts';
import { trace } from '../schema/index.ts';
import { type TraceFilter, traceCondition } from '../scope/traceFilter.ts';

const MINUTE_NS = 60_000_000_000n;

/**
 * An amount that requests carry in an attribute, summed by the minute over those that went well. A request counts once, with the first of its
 * spans that is read and has it.
 *
 * @returns one sum a minute, from the minute in which `from` lies to the one before `to`
 */
export async function amountByMinute(key: string, filter: TraceFilter & { from: bigint; to: bigint }): Promise<number[]> {
  const condition = await traceCondition(filter);
  const { rows } = await database().execute(
    sql`SELECT encode(${trace.traceId}, 'hex') AS id, (${trace.startNs} / ${MINUTE_NS}::bigint)::int AS minute FROM ${trace}
      WHERE ${condition} AND NOT ${trace.rootFailed}`,
  );
  const minuteOf = new Map((rows as unknown as { id: string; minute: number }[]).map((row) => [row.id, row.minute]));
  const first = Number(filter.from / MINUTE_NS);
  const sums = new Array<number>(Math.max(1, Number((filter.to - 1n) / MINUTE_NS) - first + 1)).fill(0);
  const needle = Buffer.from(key);
  const none = { name: '', version: '' };
  for await (const { request } of blocksWith(needle, filter.from, filter.to))
    for (const { records } of request.groups)
      for (const record of records) {
        if (!Buffer.from(record.buffer, record.byteOffset, record.byteLength).includes(needle)) continue;
        const { traceId, attributes } = readSpan(record, {}, none);
        const minute = minuteOf.get(traceId);
        const amount = Number(attributes[key]);
        if (minute === undefined || attributes[key] === undefined || !Number.isFinite(amount)) continue;
        sums[Math.min(sums.length - 1, Math.max(0, minute - first))] += amount;
        minuteOf.delete(traceId);
      }
  return sums;
}
