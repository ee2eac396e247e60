import type { EntryBucket } from '../rollups/harmSeries.ts';
import type { RequestBucket } from '../rollups/requestSeries.ts';
import type { TraceFilter } from '../scope/traceFilter.ts';
import { DurationList } from './durationList.ts';
import { eachEntered } from './eachEntered.ts';

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
  await eachEntered(filter, (entryId, atMs, ns, failed) => {
    const at = Math.floor(atMs / stepMs) * stepMs;
    let bucket = all.get(at);
    if (!bucket) {
      bucket = { count: 0, failed: 0, durations: new DurationList() };
      all.set(at, bucket);
    }
    bucket.count++;
    if (failed) bucket.failed++;
    bucket.durations.add(ns);
    if (entryId === undefined) return;
    const key = `${at} ${entryId}`;
    let one = entries.get(key);
    if (!one) {
      one = { at, entryId, calls: 0, failures: 0, okNs: 0 };
      entries.set(key, one);
    }
    one.calls++;
    if (failed) one.failures++;
    else one.okNs += ns;
  });
  return {
    buckets: [...all]
      .sort(([a], [b]) => a - b)
      .map(([at, { count, failed, durations }]) => ({ at, count, failed, p95Ns: durations.percentiles([0.95])[0] ?? 0 })),
    byEntry: [...entries.values()],
  };
}
