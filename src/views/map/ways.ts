import { curveCatmullRom, curveMonotoneX, curveMonotoneY, line } from 'd3-shape';
import type { Direction, Point } from '../../core/maps/mapLayout.ts';

const FORWARD = {
  right: line<Point>(
    (it) => it.x,
    (it) => it.y,
  ).curve(curveMonotoneX),
  down: line<Point>(
    (it) => it.x,
    (it) => it.y,
  ).curve(curveMonotoneY),
};
const winding = line<Point>(
  (it) => it.x,
  (it) => it.y,
).curve(curveCatmullRom);

/** The way of a call as a path: smooth, and never back against the direction where its points are not. */
export function wayPath(way: readonly Point[], direction: Direction): string {
  const along = direction === 'right' ? 'x' : 'y';
  const isForward = way.every((point, at) => at === 0 || point[along] >= way[at - 1][along]);
  const points = isForward && way.length === 2 ? eased(way, along) : [...way];
  return (isForward ? FORWARD[direction] : winding)(points) ?? '';
}

/** Two points with ends along the direction, so that a straight way leaves and comes in as all others do. */
function eased([a, b]: readonly Point[], along: 'x' | 'y'): Point[] {
  const reach = Math.min(24, (b[along] - a[along]) / 3);
  return [a, { ...a, [along]: a[along] + reach }, { ...b, [along]: b[along] - reach }, b];
}

/** The middle of a way's length, with the direction there in degrees. */
export function middle(way: readonly Point[]): Point & { readonly angle: number } {
  const lengths = way.slice(1).map((point, at) => Math.hypot(point.x - way[at].x, point.y - way[at].y));
  let left = lengths.reduce((sum, it) => sum + it, 0) / 2;
  for (const [at, length] of lengths.entries()) {
    if (left > length && at < lengths.length - 1) {
      left -= length;
      continue;
    }
    const part = length === 0 ? 0 : left / length;
    const [a, b] = [way[at], way[at + 1]];
    return {
      x: a.x + (b.x - a.x) * part,
      y: a.y + (b.y - a.y) * part,
      angle: (Math.atan2(b.y - a.y, b.x - a.x) * 180) / Math.PI,
    };
  }
  return { ...way[0], angle: 0 };
}
