import { createHash } from 'node:crypto';
import { visitRecords } from '../../formats/otlp/span/decodeTraces.ts';
import { SpanColumns } from '../../store/ingest/spanColumns.ts';
import { prepareSpans, writeSpans } from '../../store/ingest/writeSpans.ts';
import type { Keeper } from '../keeper.ts';
import { type Seen, sendersOf } from '../sendersOf.ts';
import { writeQueue } from '../writeQueue.ts';

const write = writeQueue(writeSpans);

/** Keeps the spans of a trace export request; masks them as it reads them. */
export const keepTraces: Keeper = async ({ groups }, refusals, body, masking) => {
  const most = groups.reduce((sum, { records }) => sum + records.length, 0);
  const columns = new SpanColumns(most, masking);
  const accepted = visitRecords(groups, refusals, columns);
  if (accepted === 0) return undefined;
  const noted = body(accepted);
  // What still runs may be told again in the same words, and is news all the same; spans that have ended are known by their ids.
  const it = columns.open.length === 0 ? noted : { ...noted, hash: newHash(noted.hash) };
  const kept = await write(it, () => prepareSpans(columns, it.hash));
  return { ...kept, senders: sendersOf('traces', seen(columns)) };
};

function newHash(hash: string): string {
  return createHash('sha256').update(`${hash} ${process.hrtime.bigint()} ${process.pid}`).digest('hex').slice(0, hash.length);
}

function seen(columns: SpanColumns): Seen[] {
  const records = columns.origins.map(() => 0);
  const lastMs = columns.origins.map(() => 0);
  for (let at = 0; at < columns.count; at++) {
    const origin = columns.origin[at];
    records[origin]++;
    lastMs[origin] = Math.max(lastMs[origin], columns.minute[at] * 60_000 + (columns.ns[at] + columns.durationNs[at]) / 1e6);
  }
  return columns.origins.map(({ resource }, origin) => ({
    resource,
    records: records[origin],
    withTrace: records[origin],
    lastMs: Math.floor(lastMs[origin]),
  }));
}
