import { median } from 'd3-array';

/** Points from left to right; null where there is no value. */
type Points = readonly (readonly [at: number, value: number | null])[];

/**
 * The stretch of a spike about one of its points: from there on either side as long as the value is nearer to that point's than to the median
 * of all.
 *
 * @returns the first and the last place that belong to it; just `at` where there is nothing around it
 */
export function spikeAround(points: Points, at: number): readonly [first: number, last: number] {
  const index = points.findIndex(([place]) => place === at);
  const usual = median(points, ([, value]) => value) ?? 0;
  const height = points[index]?.[1] ?? null;
  if (height === null) return [at, at];
  const belongs = (of: number) => {
    const value = points[of]?.[1] ?? null;
    return value !== null && Math.abs(value - height) <= Math.abs(value - usual) && value !== usual;
  };
  let [first, last] = [index, index];
  while (belongs(first - 1)) first--;
  while (belongs(last + 1)) last++;
  return [points[first][0], points[last][0]];
}

/** The place of the highest value; undefined where there is none. */
export function peakOf(points: Points): number | undefined {
  let peak: readonly [number, number] | undefined;
  for (const [at, value] of points) if (value !== null && (!peak || value > peak[1])) peak = [at, value];
  return peak?.[0];
}
