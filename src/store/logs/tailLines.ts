import { sql } from 'drizzle-orm';
import { LogSegmentWriter } from '../../core/logs/logColumns.ts';
import type { LogRow } from '../../core/logs/logRow.ts';
import { matchLines } from '../../core/logs/matchLines.ts';
import { KnownOrigins } from '../../formats/otlp/attributes/knownOrigins.ts';
import { blocksOf } from '../blocks/unpackBlocks.ts';
import { addLines } from '../columns/logSegments.ts';
import { database } from '../database/connection.ts';
import { logBlock } from '../schema/index.ts';
import { type ListedLine, lineReader } from './linePage.ts';
import { type LineScope, lineContext, tracesThatFit } from './logLines.ts';
import { shapesOf, storedShapes } from './shapes.ts';

/** Lines that came last. */
export interface Tail {
  /** In order of time. */
  readonly lines: readonly ListedLine[];
  /** Until when what has come is here, epoch milliseconds of the database's clock; ask for what came after it. */
  readonly until: number;
  /** Lines that were passed over because more came than can be read or shown; of blocks that were not read, all records. */
  readonly passedOver: number;
}

/** Blocks that are read at a time; 512 lines each at most. */
const MOST_BLOCKS = 60;
/** Blocks that are counted, so that it can be said how many records were passed over. */
const LOOKED_AT = 1_000;
/** A transaction may commit after one that began later: what came a little before is looked at again. */
const OVERLAP_MS = 3_000;
/** Lines that are older than this when they come are no news. */
const OLDEST_NS = 600_000_000_000n;

/**
 * The lines that came after a moment and fit, read from their blocks: columns of a stretch that still grows would have to be built anew each time.
 * Some may come twice; they have the same ids.
 */
export async function tailLines(scope: LineScope, after: number, most: number, signal?: AbortSignal): Promise<Tail> {
  const { rows } =
    await database().execute(sql`SELECT day, block_id::float8 AS id, records, extract(epoch FROM arrived) * 1000 AS arrived
    FROM ${logBlock} WHERE last_ns >= ${scope.from - OLDEST_NS}
      AND arrived > to_timestamp(${(after - OVERLAP_MS) / 1000}::float8) ORDER BY arrived DESC LIMIT ${LOOKED_AT}`);
  const blocks = rows as unknown as { day: number; id: number; records: number; arrived: string }[];
  const until = blocks.length > 0 ? Number(blocks[0].arrived) : after;
  const lines: LogRow[] = [];
  const days = new Map<number, number[]>();
  for (const { day, id } of blocks.slice(0, MOST_BLOCKS)) days.set(day, [...(days.get(day) ?? []), id]);
  const found: ListedLine[] = [];
  const origins = new KnownOrigins();
  const traces = await tracesThatFit(scope, signal);
  for (const [day, ids] of days) {
    lines.length = 0;
    for await (const { id, request } of blocksOf(logBlock, day, ids)) addLines(lines, id, request, scope.from, scope.to, origins);
    const matched = await shapesOf(lines.map(({ text, time }) => ({ text, timeNs: scope.from + BigInt(time) })));
    const writer = new LogSegmentWriter();
    for (const [at, line] of lines.entries()) writer.add(line, matched[at]);
    const shapes = await storedShapes();
    const segment = shapes.counts.tellApart(writer.finish());
    const marks = matchLines(
      segment,
      scope,
      lineContext(traces, () => shapes),
    );
    const read = lineReader({ segment, from: scope.from, day, key: '', label: '', rows: new Uint32Array(0) }, shapes);
    for (let row = 0; row < marks.length; row++) if (marks[row] === 1) found.push(read(row));
  }
  found.sort((a, b) => (a.timeNs < b.timeNs ? -1 : a.timeNs > b.timeNs ? 1 : 0));
  const kept = found.slice(-most);
  const unread = blocks.slice(MOST_BLOCKS).reduce((sum, { records }) => sum + records, 0);
  return { lines: kept, until, passedOver: found.length - kept.length + unread };
}
