import { median } from 'd3-array';
import { FAILURE_COST_NS } from './harm.ts';

interface Bucket {
  readonly at: number;
  readonly entryId: number;
  readonly calls: number;
  readonly failures: number;
  readonly okNs: number;
}

/** With fewer calls a bucket says nothing of what is usual. */
const ENOUGH = 3;

/**
 * Harm over time, nanoseconds by the start of each stretch: extra waiting and extra failures of each entry beyond its usual mean and
 * its usual share of failures, which are the medians over all stretches.
 */
export function harmOverTime(buckets: readonly Bucket[], failureCostNs = FAILURE_COST_NS): Map<number, number> {
  const byEntry = new Map<number, Bucket[]>();
  for (const it of buckets) {
    const known = byEntry.get(it.entryId);
    if (known) known.push(it);
    else byEntry.set(it.entryId, [it]);
  }
  const harm = new Map<number, number>();
  for (const list of byEntry.values()) {
    const told = list.filter((it) => it.calls >= ENOUGH);
    const means = told.filter((it) => it.calls > it.failures).map((it) => it.okNs / (it.calls - it.failures));
    if (means.length === 0) continue;
    const usualMean = median(means)!;
    const usualShare = median(told, (it) => it.failures / it.calls)!;
    for (const { at, calls, failures, okNs } of list) {
      const waiting = Math.max(0, okNs - (calls - failures) * usualMean);
      const failed = Math.max(0, failures - calls * usualShare);
      harm.set(at, (harm.get(at) ?? 0) + waiting + failureCostNs * failed);
    }
  }
  return harm;
}
