/** The points of one series in order of time. */
export interface Points {
  /** `gauge`, or `sum`. */
  readonly type: string;
  /** OpenTelemetry's number: 1 delta, 2 cumulative. */
  readonly temporality: number;
  /** Epoch milliseconds. */
  readonly times: readonly number[];
  readonly values: readonly number[];
  /** Where each count began, epoch milliseconds; null when that is not said. */
  readonly starts: readonly (number | null)[];
}

const MINUTE_MS = 60_000;
const CUMULATIVE = 2;

/**
 * A value for each minute: the mean of a gauge, or what a count grew by in a second, spread over the time between two readings. NaN where
 * nothing is known.
 *
 * @param firstMs when the first minute begins, epoch milliseconds @param minutes how many
 */
export function minuteValues(points: Points, firstMs: number, minutes: number): number[] {
  return points.type === 'gauge' ? means(points, firstMs, minutes) : rates(points, firstMs, minutes);
}

function means({ times, values }: Points, firstMs: number, minutes: number): number[] {
  const sums = new Float64Array(minutes);
  const counts = new Float64Array(minutes);
  for (const [at, time] of times.entries()) {
    const minute = Math.floor((time - firstMs) / MINUTE_MS);
    if (minute < 0 || minute >= minutes) continue;
    sums[minute] += values[at];
    counts[minute]++;
  }
  return Array.from(sums, (sum, at) => (counts[at] === 0 ? Number.NaN : sum / counts[at]));
}

function rates({ temporality, times, values, starts }: Points, firstMs: number, minutes: number): number[] {
  const grown = new Float64Array(minutes);
  const known = new Float64Array(minutes);
  const spread = (from: number, to: number, amount: number) => {
    if (to <= from) return;
    for (let minute = Math.max(0, Math.floor((from - firstMs) / MINUTE_MS)); minute < minutes; minute++) {
      const begin = firstMs + minute * MINUTE_MS;
      if (begin >= to) break;
      const within = Math.min(to, begin + MINUTE_MS) - Math.max(from, begin);
      grown[minute] += (amount * within) / (to - from);
      known[minute] += within;
    }
  };
  for (let at = 0; at < times.length; at++) {
    if (temporality !== CUMULATIVE) spread(starts[at] ?? times[at - 1] ?? times[at] - MINUTE_MS, times[at], values[at]);
    else if (at > 0)
      // One that fell began anew.
      spread(times[at - 1], times[at], values[at] >= values[at - 1] ? values[at] - values[at - 1] : values[at]);
  }
  // A minute of which half is known is one.
  return Array.from(grown, (sum, at) => (known[at] < MINUTE_MS / 2 ? Number.NaN : (1_000 * sum) / known[at]));
}
