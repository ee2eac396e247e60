import { addValue, emptySketch, mergeInto, type Sketch } from './sketch.ts';

/** Calls taken together. Durations are nanoseconds. */
export interface CallSum {
  calls: number;
  failures: number;
  /** Of the failures, those whose answer blames the caller. */
  clientErrors: number;
  /** Total duration of those that went well, and of those that failed. */
  okNs: number;
  failedNs: number;
  /** Durations of all. */
  readonly sketch: Sketch;
}

/** One call. */
export interface OneCall {
  readonly durationNs: number;
  readonly failed: boolean;
  readonly clientError: boolean;
}

export function noCalls(): CallSum {
  return { calls: 0, failures: 0, clientErrors: 0, okNs: 0, failedNs: 0, sketch: emptySketch() };
}

/** The sum of a key, made when there is none yet. */
export function sumIn<Key>(sums: Map<Key, CallSum>, key: Key): CallSum {
  let sum = sums.get(key);
  if (!sum) {
    sum = noCalls();
    sums.set(key, sum);
  }
  return sum;
}

export function addCall(sum: CallSum, { durationNs, failed, clientError }: OneCall): void {
  sum.calls++;
  if (failed) {
    sum.failures++;
    if (clientError) sum.clientErrors++;
    sum.failedNs += durationNs;
  } else sum.okNs += durationNs;
  addValue(sum.sketch, durationNs);
}

export function addCalls(sum: CallSum, other: CallSum): void {
  sum.calls += other.calls;
  sum.failures += other.failures;
  sum.clientErrors += other.clientErrors;
  sum.okNs += other.okNs;
  sum.failedNs += other.failedNs;
  mergeInto(sum.sketch, other.sketch);
}

/** What is left of some calls without a part of them: exact in every figure, the buckets of the sketch among them. */
export function withoutCalls(all: CallSum, part: CallSum): CallSum {
  const buckets = new Map(all.sketch.buckets);
  for (const [bucket, times] of part.sketch.buckets) {
    const left = (buckets.get(bucket) ?? 0) - times;
    if (left > 0) buckets.set(bucket, left);
    else buckets.delete(bucket);
  }
  return {
    calls: Math.max(0, all.calls - part.calls),
    failures: Math.max(0, all.failures - part.failures),
    clientErrors: Math.max(0, all.clientErrors - part.clientErrors),
    okNs: Math.max(0, all.okNs - part.okNs),
    failedNs: Math.max(0, all.failedNs - part.failedNs),
    sketch: { zero: Math.max(0, all.sketch.zero - part.sketch.zero), buckets },
  };
}

/** The same calls, where those whose answer blames the caller count as gone well. */
export function withoutClientErrors(sum: CallSum): CallSum {
  return sum.clientErrors === 0 ? sum : { ...sum, failures: sum.failures - sum.clientErrors, clientErrors: 0 };
}
