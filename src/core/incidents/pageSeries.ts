import { addValue, emptySketch, type Sketch } from '../measures/sketch.ts';
import type { CallSeries } from './callSeries.ts';

/** What a browser or phone reported of one of its pages: that it was shown, or that the app crashed on it. */
export interface PageEvent {
  /** Since 1970-01-01 in UTC. */
  readonly minute: number;
  readonly crashed: boolean;
  /** Until it could be used, nanoseconds; null when not set. */
  readonly durationNs: number | null;
}

/** What happened to one page, by the minute. */
export type PageMinutes = Map<number, { views: number; crashes: number; readonly sketch: Sketch }>;

export function addPageEvent(minutes: PageMinutes, { minute, crashed, durationNs }: PageEvent): void {
  let tally = minutes.get(minute);
  if (!tally) {
    tally = { views: 0, crashes: 0, sketch: emptySketch() };
    minutes.set(minute, tally);
  }
  if (crashed) tally.crashes++;
  else {
    tally.views++;
    if (durationNs !== null) addValue(tally.sketch, durationNs);
  }
}

/**
 * A page as the series of an operation, so that its shifts are found in the same way: a view is a call, a crash a failed one. A view and its
 * crash may lie in two minutes; then the crash counts as a call of its own.
 */
export function pageSeries(minutes: PageMinutes, firstMinute: number, lastMinute: number): CallSeries {
  return {
    firstMinute,
    minutes: Array.from({ length: lastMinute - firstMinute + 1 }, (_, at) => {
      const tally = minutes.get(firstMinute + at);
      return tally ? { calls: Math.max(tally.views, tally.crashes), failures: tally.crashes, sketch: tally.sketch } : null;
    }),
  };
}
