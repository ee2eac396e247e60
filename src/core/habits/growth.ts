import { median } from 'd3-array';
import { uniformInt } from 'pure-rand/distribution/uniformInt';
import { xoroshiro128plus } from 'pure-rand/generator/xoroshiro128plus';

/** How time grows with a size: the exponent n of time ~ size^n. */
export interface Growth {
  readonly slope: number;
  /** 95 %, by bootstrap. */
  readonly interval: readonly [low: number, high: number];
  readonly points: number;
}

const FEWEST = 12;
/** Pairs that are looked at; of more points a part is drawn. */
const MOST_POINTS = 300;
const RESAMPLES = 200;

/**
 * Slope of log time on log size by Theil and Sen (1968), the median of the slopes of all pairs, with its interval by bootstrap. Null when
 * there are too few points, or sizes that hardly differ.
 *
 * @param points size and time, both above 0
 */
export function growth(points: readonly (readonly [size: number, time: number])[]): Growth | null {
  const logs = points
    .filter(([size, time]) => size > 0 && time > 0)
    .map(([size, time]) => [Math.log(size), Math.log(time)] as const);
  if (logs.length < FEWEST || new Set(logs.map(([size]) => size.toFixed(3))).size < 4) return null;
  const random = xoroshiro128plus(logs.length);
  const draw = (count: number) => Array.from({ length: count }, () => logs[uniformInt(random, 0, logs.length - 1)]);
  const some = logs.length > MOST_POINTS ? draw(MOST_POINTS) : logs;
  const slope = theilSen(some);
  if (slope === null) return null;
  const again = Array.from({ length: RESAMPLES }, () => theilSen(draw(Math.min(logs.length, 80)))).filter((it) => it !== null);
  again.sort((a, b) => a - b);
  return {
    slope,
    interval: [again[Math.floor(0.025 * again.length)] ?? slope, again[Math.ceil(0.975 * again.length) - 1] ?? slope],
    points: logs.length,
  };
}

function theilSen(points: readonly (readonly [number, number])[]): number | null {
  const slopes: number[] = [];
  for (const [at, [x, y]] of points.entries())
    for (let other = at + 1; other < points.length; other++) {
      const step = points[other][0] - x;
      if (Math.abs(step) > 1e-9) slopes.push((points[other][1] - y) / step);
    }
  return slopes.length === 0 ? null : (median(slopes) ?? null);
}
