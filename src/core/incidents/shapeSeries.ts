import { emptySketch } from '../measures/sketch.ts';
import type { CallSeries } from './callSeries.ts';

/** Lines of a service within a minute, and those of them that are of one message shape. */
export interface MinuteOfLines {
  readonly lines: number;
  readonly ofShape: number;
}

const NO_DURATIONS = emptySketch();

/**
 * A message shape as the series of an operation, so that its shifts are found in the same way: a line of its service is a call, one of the
 * shape a failed one. More traffic alone, which writes more of all lines, is no shift.
 *
 * @param countsOf of a minute since 1970-01-01; undefined where nothing is known of it
 */
export function shapeSeries(
  firstMinute: number,
  lastMinute: number,
  countsOf: (minute: number) => MinuteOfLines | undefined,
): CallSeries {
  return {
    firstMinute,
    minutes: Array.from({ length: lastMinute - firstMinute + 1 }, (_, at) => {
      const counts = countsOf(firstMinute + at);
      return counts && counts.lines > 0 ? { calls: counts.lines, failures: counts.ofShape, sketch: NO_DURATIONS } : null;
    }),
  };
}
