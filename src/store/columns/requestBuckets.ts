import { codesOf, numbersOf } from '../../core/columns/segment.ts';
import {
  DURATION,
  ENTRY,
  OUTCOME,
  ROOT_DELAY,
  ROOT_FAILED,
  ROOT_FOUND,
  readOperation,
  START,
} from '../../core/requests/requestColumns.ts';
import { operationIds } from '../dictionaries/dictionaries.ts';
import type { EntryBucket } from '../rollups/harmSeries.ts';
import type { RequestBucket } from '../rollups/requestSeries.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { DurationList } from './durationList.ts';
import { eachRequest } from './requestScope.ts';

/**
 * The requests that a filter leaves over time, in stretches of `stepMs`, and the same by their entry operation; stretches without any are
 * left out. A trace whose root has not come is no request yet.
 */
export async function requestBuckets(
  filter: TraceFilter,
  stepMs: number,
): Promise<{ buckets: RequestBucket[]; byEntry: EntryBucket[] }> {
  const all = new Map<number, { count: number; failed: number; readonly durations: DurationList }>();
  const entries = new Map<string, { -readonly [Key in keyof EntryBucket]: EntryBucket[Key] }>();
  const idOf = await operationIds();
  await eachRequest(filter, ({ segment, from, rows }) => {
    const base = Number(from / 1_000_000n);
    const start = numbersOf(segment, START);
    const delay = numbersOf(segment, ROOT_DELAY);
    const ns = numbersOf(segment, DURATION);
    const outcome = codesOf(segment, OUTCOME).values;
    const entry = codesOf(segment, ENTRY);
    const ids = entry.texts.map((text) => idOf(readOperation(text)));
    for (const row of rows) {
      if ((outcome[row] & ROOT_FOUND) === 0) continue;
      const failed = (outcome[row] & ROOT_FAILED) !== 0;
      const at = Math.floor((base + (start[row] + delay[row]) / 1e6) / stepMs) * stepMs;
      let bucket = all.get(at);
      if (!bucket) {
        bucket = { count: 0, failed: 0, durations: new DurationList() };
        all.set(at, bucket);
      }
      bucket.count++;
      if (failed) bucket.failed++;
      bucket.durations.add(ns[row]);
      const entryId = ids[entry.values[row] - 1];
      if (entryId === undefined) continue;
      const key = `${at} ${entryId}`;
      let one = entries.get(key);
      if (!one) {
        one = { at, entryId, calls: 0, failures: 0, okNs: 0 };
        entries.set(key, one);
      }
      one.calls++;
      if (failed) one.failures++;
      else one.okNs += ns[row];
    }
  });
  return {
    buckets: [...all]
      .sort(([a], [b]) => a - b)
      .map(([at, { count, failed, durations }]) => ({ at, count, failed, p95Ns: durations.percentiles([0.95])[0] ?? 0 })),
    byEntry: [...entries.values()],
  };
}
