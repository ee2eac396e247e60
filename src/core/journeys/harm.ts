import type { Sketch } from '../measures/sketch.ts';

/** Calls in a stretch of time. Durations are nanoseconds; `okNs` is the total of those that went well, the sketch is of all. */
export interface Calls {
  readonly calls: number;
  readonly failures: number;
  readonly okNs: number;
  readonly sketch: Sketch;
}

/** What a failed request counts for, as waiting: nanoseconds. */
export const FAILURE_COST_NS = 30e9;

/** What a stretch of time did to people, beyond what was to be expected by the one it is held against. */
export interface Harm {
  readonly extraWaitingNs: number;
  readonly extraFailures: number;
  /** Both as waiting; what is ordered by. */
  readonly totalNs: number;
}

/** Harm of the lit calls against those before. Without any before, nothing is expected: all failures are extra, no waiting is. */
export function harmOf(lit: Calls, before: Calls, failureCostNs = FAILURE_COST_NS): Harm {
  const fine = lit.calls - lit.failures;
  const fineBefore = before.calls - before.failures;
  const extraWaitingNs = fine > 0 && fineBefore > 0 ? fine * Math.max(0, lit.okNs / fine - before.okNs / fineBefore) : 0;
  const extraFailures = Math.max(0, lit.failures - (before.calls > 0 ? lit.calls * (before.failures / before.calls) : 0));
  return { extraWaitingNs, extraFailures, totalNs: extraWaitingNs + failureCostNs * extraFailures };
}
