import { promisify } from 'node:util';
import { inflateRaw } from 'node:zlib';
import { and, desc, gte, lte, sql } from 'drizzle-orm';
import { type Condition, fitsPositive } from '../../core/scope/condition.ts';
import { attributeText } from '../../core/trace/attributeText.ts';
import type { Attributes } from '../../core/trace/span.ts';
import { readResource } from '../../formats/otlp/attributes/attributes.ts';
import { readSpan } from '../../formats/otlp/span/spanRecord.ts';
import { readRequest, type TelemetryRequest } from '../../formats/otlp/wire/request.ts';
import { database } from '../database/connection.ts';
import { daysAround } from '../retention/days.ts';
import { spanBlock } from '../schema/index.ts';

const AT_ONCE = 32;
/** More traces than this are not listed one by one. */
const MOST_FOUND = 100_000;
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

/** Readings that have not ended, by what is looked for: the parts of a page ask for the same at once. */
const underWay = new Map<string, Promise<string[]>>();

/** Ids of the traces one of whose spans fits a condition on an attribute (its positive form), hex. */
export function tracesWith(it: Condition, from: bigint | undefined, to: bigint | undefined): Promise<string[]> {
  const key = JSON.stringify([it.field, it.operator, it.values, String(from), String(to)]);
  let reading = underWay.get(key);
  if (!reading) {
    reading = readTracesWith(it, from, to).finally(() => underWay.delete(key));
    underWay.set(key, reading);
  }
  return reading;
}

async function readTracesWith(it: Condition, from: bigint | undefined, to: bigint | undefined): Promise<string[]> {
  const found = new Set<string>();
  const key = Buffer.from(it.field);
  for await (const { request } of blocksWith(key, from, to)) {
    for (const { resource, records } of request.groups) {
      const shared = Buffer.from(resource).includes(key) ? readResource(resource) : {};
      const sharedFits = fits(shared, it);
      for (const record of records) {
        if (!sharedFits && !Buffer.from(record.buffer, record.byteOffset, record.byteLength).includes(key)) continue;
        const span = readSpan(record, shared, { name: '', version: '' });
        if (sharedFits || fits(span.attributes, it)) found.add(span.traceId);
      }
    }
    if (found.size > MOST_FOUND) break;
  }
  return [...found];
}

function fits(attributes: Attributes, it: Condition): boolean {
  const text = attributeText(attributes[it.field]);
  return text !== undefined && fitsPositive(it, text);
}
