import type { Sketch } from '../measures/sketch.ts';

/** What happened to an operation within a minute. */
export interface MinuteOfCalls {
  readonly calls: number;
  readonly failures: number;
  /** Durations of all calls, nanoseconds. */
  readonly sketch: Sketch;
}

/** An operation by the minute, without gaps; null where nothing was called. */
export interface CallSeries {
  /** Minutes since 1970-01-01 of the first entry. */
  readonly firstMinute: number;
  readonly minutes: readonly (MinuteOfCalls | null)[];
}

export type ShiftMeasure = 'failures' | 'p50' | 'p95';
