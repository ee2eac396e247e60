import type { SumPoint } from '../../api/services/figures.ts';
import type { ServiceOverview } from '../../api/services/overview.ts';

/** A window, ISO 8601; the end is exclusive. */
export type Stretch = ServiceOverview['litWindow'];

const MINUTE_MS = 60_000;

/** How much of a step lies in its window, in whole minutes as they are counted by: the first and the last are rarely whole. */
export function coveredMs(at: number, { from, to }: Stretch, stepMs: number): number {
  const first = Math.max(at, Math.floor(Date.parse(from) / MINUTE_MS) * MINUTE_MS);
  const end = Math.min(at + stepMs, Math.ceil(Date.parse(to) / MINUTE_MS) * MINUTE_MS);
  return Math.max(MINUTE_MS, end - first);
}

/** The points of a window, with one for each stretch in which nothing came: no request is a rate, too. Nothing where there is no point at all. */
export function throughout(points: readonly SumPoint[], { from, to }: Stretch, stepMs: number): SumPoint[] {
  if (points.length === 0) return [];
  const known = new Map(points.map((it) => [it.at, it]));
  const whole = [];
  for (let at = Math.floor(Date.parse(from) / stepMs) * stepMs; at < Date.parse(to); at += stepMs)
    whole.push(known.get(at) ?? { at, calls: 0, failures: 0, p50Ns: null, p95Ns: null, p99Ns: null });
  return whole;
}
