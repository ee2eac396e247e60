import { curveCatmullRom, curveMonotoneX, line } from 'd3-shape';
import type { Point } from './drawing/layout.ts';

const forward = line<Point>(
  (it) => it.x,
  (it) => it.y,
).curve(curveMonotoneX);
const winding = line<Point>(
  (it) => it.x,
  (it) => it.y,
).curve(curveCatmullRom);

/** The way of a call as a path: smooth, and never back to the left where its points are not. */
export function wayPath(way: readonly Point[]): string {
  const isForward = way.every((point, at) => at === 0 || point.x >= way[at - 1].x);
  const points = isForward && way.length === 2 ? eased(way) : [...way];
  return (isForward ? forward : winding)(points) ?? '';
}

/** Two points with level ends, so that a straight way leaves and comes in as all others do. */
function eased([a, b]: readonly Point[]): Point[] {
  const reach = Math.min(24, (b.x - a.x) / 3);
  return [a, { x: a.x + reach, y: a.y }, { x: b.x - reach, y: b.y }, b];
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
