import { countOf, quantiles, type Sketch } from '../measures/sketch.ts';

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

export type Changed = 'failures' | 'p95' | 'p50';
export type JourneyState = 'calm' | 'strained' | 'failing' | 'unknown';

/** What is worse in the lit calls, beyond chance. */
export interface Comparison {
  /** failing: more failures; strained: slower; unknown: too few calls to say. */
  readonly state: JourneyState;
  /** What got worse, the first that did of failures, p95, p50; undefined when nothing did. */
  readonly changed?: Changed;
}

const FAR = 4;
const WORSE = 1.25;
const POINT = 0.01;
const NOTABLE_NS = 5e6;
const ENOUGH = 12;

/**
 * Holds lit calls against those before: a change counts when it is large (a point of failures, a quarter in time) and beyond chance (two
 * proportions at least four standard errors apart: of failures, or of calls over 1.25 times the p95 or the median before).
 */
export function compare(lit: Calls, before: Calls): Comparison {
  if (lit.calls < ENOUGH || before.calls < ENOUGH) return { state: 'unknown' };
  const share = lit.failures / lit.calls;
  const shareBefore = before.failures / before.calls;
  if (share - shareBefore >= POINT && farApart(lit.failures, lit.calls, before.failures, before.calls))
    return { state: 'failing', changed: 'failures' };
  for (const [changed, q] of [
    ['p95', 0.95],
    ['p50', 0.5],
  ] as const) {
    const [now] = quantiles(lit.sketch, [q]);
    const [then] = quantiles(before.sketch, [q]);
    if (now === null || then === null) continue;
    const bound = Math.max(then * WORSE, then + NOTABLE_NS);
    if (now < bound) continue;
    if (farApart(over(lit.sketch, bound), lit.calls, over(before.sketch, bound), before.calls))
      return { state: 'strained', changed };
  }
  return { state: 'calm' };
}

/** Whether a share is higher than another beyond chance: at least three, and four standard errors of two proportions. */
export function farApart(a: number, ofA: number, b: number, ofB: number): boolean {
  const pooled = (a + b + 1) / (ofA + ofB + 2);
  const error = Math.sqrt(pooled * (1 - pooled) * (1 / ofA + 1 / ofB));
  return a >= 3 && a / ofA - b / ofB >= FAR * error;
}

/** How many values of a sketch lie over a bound, right to the width of a bucket. */
export function over(sketch: Sketch, bound: number): number {
  let count = 0;
  for (const [bucket, times] of sketch.buckets) if (2 ** ((bucket + 0.5) / 16) > bound) count += times;
  return Math.min(count, countOf(sketch));
}
