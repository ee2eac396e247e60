import { stepChange } from '../measures/stepChange.ts';
import type { PoolFigures } from './poolFigures.ts';
import type { MeasuredMinute } from './storedPool.ts';

/** Something of a pool that became another, and in which minute. */
export interface PoolMove {
  readonly what: 'arrivals' | 'holds' | 'size' | 'full';
  /** Minutes since 1970-01-01. */
  readonly minute: number;
  /** Instance, where it is of one. */
  readonly of: string;
}

/** Times that arrivals or holds have to change by to be called moved. */
const LEAST_RATIO = 1.5;
const FULL = 0.9;

/**
 * What of a pool moved, in order of time: arrivals and hold times of all instances, the size, and when the connections of each instance were all
 * in use.
 *
 * @param around minutes of each instance, of the lit window and what is around it
 */
export function whatMoved(
  around: readonly { readonly instance: string; readonly minutes: readonly MeasuredMinute[] }[],
  lit: PoolFigures,
  before: PoolFigures,
): PoolMove[] {
  const moves: PoolMove[] = [];
  const byMinute = new Map<number, { arrivals: number; holds: number; held: number }>();
  for (const { minutes } of around)
    for (const { minute, waits, holds } of minutes) {
      const sum = byMinute.get(minute) ?? { arrivals: 0, holds: 0, held: 0 };
      sum.arrivals += waits.count;
      sum.holds += holds.count;
      sum.held += holds.sum ?? 0;
      byMinute.set(minute, sum);
    }
  const series = [...byMinute].sort(([a], [b]) => a - b);
  if (isOther(lit.arrivals, before.arrivals)) {
    const change = stepChange(series.map(([at, { arrivals }]) => ({ at, value: Math.log1p(arrivals) })));
    if (change) moves.push({ what: 'arrivals', minute: change.at, of: '' });
  }
  if (lit.holdMean !== null && before.holdMean !== null && isOther(lit.holdMean, before.holdMean)) {
    const change = stepChange(
      series.flatMap(([at, { holds, held }]) => (holds === 0 ? [] : { at, value: Math.log(held / holds + 1e-9) })),
    );
    if (change) moves.push({ what: 'holds', minute: change.at, of: '' });
  }
  for (const { instance, minutes } of around) {
    const sized = minutes.findIndex(
      ({ size }, at) => at > 0 && size !== null && minutes[at - 1].size !== null && size !== minutes[at - 1].size,
    );
    if (sized > 0 && !moves.some(({ what, minute }) => what === 'size' && minute === minutes[sized].minute))
      moves.push({ what: 'size', minute: minutes[sized].minute, of: '' });
    const full = minutes.find(
      ({ used, size, pending }) => used !== null && size !== null && used >= FULL * size && (pending ?? 0) > 0,
    );
    if (full) moves.push({ what: 'full', minute: full.minute, of: instance });
  }
  const rank = { size: 0, arrivals: 1, holds: 1, full: 2 };
  return moves.sort((a, b) => a.minute - b.minute || rank[a.what] - rank[b.what]);
}

function isOther(lit: number, before: number): boolean {
  if (before === 0) return lit > 0;
  return lit / before >= LEAST_RATIO || before / lit >= LEAST_RATIO;
}
