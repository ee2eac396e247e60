import type { Attributes } from '../../core/trace/span.ts';
import { readResource } from '../../formats/otlp/attributes/attributes.ts';
import { type LogRecord, readLog } from '../../formats/otlp/record/logRecord.ts';
import { blocksOf } from '../blocks/unpackBlocks.ts';
import { logBlock } from '../schema/index.ts';

/** A record with its resource, whole. */
export interface WholeLine {
  readonly record: LogRecord;
  readonly resource: Attributes;
}

/** What the id of a line says: the day, the block and the place in it. */
export function parseLineId(id: string): { day: number; block: number; index: number } | undefined {
  const parts = /^(\d{1,7})-(\d{1,16})-(\d{1,6})$/.exec(id)?.slice(1).map(Number);
  return parts?.every(Number.isSafeInteger) ? { day: parts[0], block: parts[1], index: parts[2] } : undefined;
}

/** The record of a line; undefined when it is no longer stored. */
export async function oneLine({
  day,
  block,
  index,
}: {
  day: number;
  block: number;
  index: number;
}): Promise<WholeLine | undefined> {
  for await (const { request } of blocksOf(logBlock, day, [block])) {
    let at = 0;
    for (const { resource, records } of request.groups) {
      if (index < at + records.length) return { record: readLog(records[index - at]), resource: readResource(resource) };
      at += records.length;
    }
  }
  return undefined;
}
