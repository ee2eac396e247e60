/** Values of some minutes as they are drawn: minutes since 1970-01-01 and value. */
type Points = readonly (readonly [minute: number, value: number])[];

/**
 * As few points as a small curve can show: means of equal stretches, each at its first minute, where there are more points than that.
 *
 * @param points in ascending order @param most points that are wanted
 */
export function thinned(points: Points, most: number): Points {
  if (points.length <= most) return points;
  const first = points[0][0];
  const step = Math.ceil((points[points.length - 1][0] - first + 1) / most);
  const found: [number, number][] = [];
  let stretch = -1;
  let sum = 0;
  let count = 0;
  const finish = () => {
    if (count > 0) found.push([first + stretch * step, sum / count]);
  };
  for (const [minute, value] of points) {
    const at = Math.floor((minute - first) / step);
    if (at !== stretch) {
      finish();
      stretch = at;
      sum = 0;
      count = 0;
    }
    sum += value;
    count++;
  }
  finish();
  return found;
}
