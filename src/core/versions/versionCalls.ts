import { addValue, emptySketch, type Sketch } from '../measures/sketch.ts';

/** Calls that one version of a service handled of one operation, in equal stretches of time. */
export interface VersionCalls {
  readonly calls: Float64Array;
  readonly failed: Float64Array;
  /** Of those that went well: how many, the sum of the logarithms of their durations, and of the squares of those. */
  readonly timed: Float64Array;
  readonly logs: Float64Array;
  readonly squares: Float64Array;
  /** Durations of all that went well, nanoseconds. */
  readonly sketch: Sketch;
}

export function noCallsIn(stretches: number): VersionCalls {
  const zeros = () => new Float64Array(stretches);
  return { calls: zeros(), failed: zeros(), timed: zeros(), logs: zeros(), squares: zeros(), sketch: emptySketch() };
}

/** @param ns of the call, above zero for it to count among the durations */
export function addCall(to: VersionCalls, stretch: number, ns: number, failed: boolean): void {
  to.calls[stretch]++;
  if (failed) {
    to.failed[stretch]++;
    return;
  }
  if (!(ns > 0)) return;
  const log = Math.log(ns);
  to.timed[stretch]++;
  to.logs[stretch] += log;
  to.squares[stretch] += log * log;
  addValue(to.sketch, ns);
}
