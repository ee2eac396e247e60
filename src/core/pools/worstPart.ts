import { group } from 'd3-array';
import { measuredP95 } from './sizing.ts';
import type { MeasuredMinute } from './storedPool.ts';

/** Waits shorter than this hurt nobody, in seconds. */
export const HURTS = 0.05;

/** Minutes of a stretch, since 1970-01-01; `to` is the first after it. */
export interface Minutes {
  readonly from: number;
  readonly to: number;
}

/** Minutes with waits in a stretch, at least. */
const FEWEST = 3;
/** So many minutes without waits do not end it. */
const PAUSE = 2;
/** A part that is longer is the window. */
const LARGEST_SHARE = 0.5;
/** Requests that wait on average in a minute in which none of them got a connection. */
const WAITING = 0.5;

/**
 * The part of a window in which requests waited most for a connection: what an hour of a day did is hidden in the figures of the day. Undefined
 * when nobody waited for long, or all through it.
 *
 * @param instances minutes of each instance within the window
 */
export function worstPart(instances: readonly (readonly MeasuredMinute[])[], window: Minutes): Minutes | undefined {
  const byMinute = group(instances.flat(), ({ minute }) => minute);
  const late = [...byMinute].filter(([, of]) => isLate(of)).sort(([a], [b]) => a - b);
  let best: (Minutes & { readonly waited: number; readonly minutes: number }) | undefined;
  let run: typeof best;
  for (const [minute, of] of late) {
    const waited = of.reduce((sum, { waits, pending }) => sum + (waits.sum ?? 0) + 60 * (pending ?? 0), 0);
    run =
      run && minute - run.to <= PAUSE
        ? { from: run.from, to: minute + 1, waited: run.waited + waited, minutes: run.minutes + 1 }
        : { from: minute, to: minute + 1, waited, minutes: 1 };
    if (!best || run.waited > best.waited) best = run;
  }
  if (!best || best.minutes < FEWEST) return undefined;
  const { from, to } = best;
  return to - from > LARGEST_SHARE * (window.to - window.from) ? undefined : { from, to };
}

/** Whether those who asked in a minute waited so long that it hurts, or gave up. */
function isLate(of: readonly MeasuredMinute[]): boolean {
  const waits = of.map((it) => it.waits).filter(({ count }) => count > 0);
  return (
    of.some(({ timeouts, pending }) => timeouts > 0 || (pending ?? 0) >= WAITING) ||
    (waits.length > 0 && (measuredP95(waits) ?? 0) >= HURTS)
  );
}

/** A pool's minutes within a stretch alone. */
export function withinMinutes<Pool extends { readonly minutes: readonly MeasuredMinute[] }>(
  pool: Pool,
  { from, to }: Minutes,
): Pool {
  return { ...pool, minutes: pool.minutes.filter(({ minute }) => minute >= from && minute < to) };
}
