const PER_OCTAVE = 4;

/** Where the bucket of a duration begins, nanoseconds. */
export const atStep = (step: number) => 2 ** (step / PER_OCTAVE);

/** What a drag encloses. Durations in nanoseconds, times in epoch milliseconds; what is left open is undefined. */
export interface Region {
  readonly from?: number;
  readonly to?: number;
  readonly least?: number;
  readonly most?: number;
}

interface Drag {
  readonly x: number;
  readonly y: number;
  readonly toX: number;
  readonly toY: number;
  /** Whether it began beside the times: then it is about durations alone. */
  readonly inMargin: boolean;
}

interface Axes {
  readonly plot: number;
  readonly base: number;
  readonly top: number;
  readonly timeAt: (x: number) => number;
  readonly durationAt: (y: number) => number;
}

/** A drag flatter than this is about times alone, a narrower one about durations alone; pixels. */
const FLAT = 6;

/** What a drag means: a rectangle of times and durations; open where it leaves the picture. */
export function regionOf({ x, y, toX, toY, inMargin }: Drag, { plot, base, top, timeAt, durationAt }: Axes): Region {
  const [left, right] = [Math.max(0, Math.min(x, toX)), Math.min(plot, Math.max(x, toX))];
  const [high, low] = [Math.min(y, toY), Math.max(y, toY)];
  const hasTimes = !inMargin && right - left >= FLAT;
  const hasDurations = inMargin || low - high >= FLAT;
  return {
    ...(hasTimes ? { from: timeAt(left), to: timeAt(right) } : {}),
    ...(hasDurations && low < base - 2 ? { least: durationAt(low) } : {}),
    ...(hasDurations && high > top + 2 ? { most: durationAt(high) } : {}),
  };
}

/** The point nearest to a place, as long as it is within reach; undefined when none is. */
export function nearestPoint(
  points: { readonly x: readonly number[]; readonly y: readonly number[] },
  x: number,
  y: number,
  reach: number,
): number | undefined {
  let best: number | undefined;
  let bestSquare = reach * reach;
  for (let at = 0; at < points.x.length; at++) {
    const square = (points.x[at] - x) ** 2 + (points.y[at] - y) ** 2;
    if (square <= bestSquare) {
      best = at;
      bestSquare = square;
    }
  }
  return best;
}

/** Three digits are as exact as a drag is. */
export function roundDuration(ns: number): number {
  const size = 10 ** (Math.floor(Math.log10(ns)) - 2);
  return Math.round(Math.round(ns / size) * size);
}
