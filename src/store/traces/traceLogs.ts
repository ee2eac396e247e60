import { eq } from 'drizzle-orm';
import { isLine } from '../../core/logs/isLine.ts';
import type { Attributes, TraceId } from '../../core/trace/span.ts';
import { readResource } from '../../formats/otlp/attributes/attributes.ts';
import { type LogRecord, readLog } from '../../formats/otlp/record/logRecord.ts';
import { blocksOf } from '../blocks/unpackBlocks.ts';
import { database } from '../database/connection.ts';
import { logBlock, logTrace } from '../schema/index.ts';

/** A log record with whose it is. */
export interface TraceLog extends LogRecord {
  readonly service: string;
  readonly resource: Attributes;
}

/** The log records that name a trace, by time; those that are events of the project's own are left out. */
export async function logsOfTrace(traceId: TraceId): Promise<TraceLog[]> {
  const rows = await database()
    .selectDistinct({ day: logTrace.day, blockId: logTrace.blockId })
    .from(logTrace)
    .where(eq(logTrace.traceId, traceId));
  const byDay = new Map<number, number[]>();
  for (const { day, blockId } of rows) byDay.set(day, [...(byDay.get(day) ?? []), blockId]);
  const id = Buffer.from(traceId, 'hex');
  const found: TraceLog[] = [];
  for (const [day, blocks] of byDay)
    for await (const { request } of blocksOf(logBlock, day, blocks))
      for (const { resource: bytes, records } of request.groups) {
        let resource: Attributes | undefined;
        for (const record of records) {
          if (!Buffer.from(record.buffer, record.byteOffset, record.byteLength).includes(id)) continue;
          const log = readLog(record);
          if (log.traceId !== traceId || !isLine(log.eventName)) continue;
          resource ??= readResource(bytes);
          found.push({ ...log, resource, service: String(resource['service.name'] ?? 'unknown_service') });
        }
      }
  return found.sort((a, b) => (a.time < b.time ? -1 : a.time > b.time ? 1 : 0));
}
