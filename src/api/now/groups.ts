import { type Calls, type Comparison, compare, type Harm, harmOf } from '../../core/journeys/compare.ts';
import { emptySketch, mergeInto } from '../../core/measures/sketch.ts';
import type { CallFigures } from '../../store/rollups/operationFigures.ts';

/** Calls of some operations together. */
export function together(ids: readonly number[], figures: ReadonlyMap<number, CallFigures>): Calls {
  const all = { calls: 0, failures: 0, okNs: 0, sketch: emptySketch() };
  for (const id of ids) {
    const it = figures.get(id);
    if (!it) continue;
    all.calls += it.calls;
    all.failures += it.failures;
    all.okNs += it.okNs;
    mergeInto(all.sketch, it.sketch);
  }
  return all;
}

/** What is said of a journey or a service, before and lit. */
export interface Judged {
  readonly lit: Calls;
  readonly before: Calls;
  readonly harm: Harm;
  readonly comparison: Comparison;
}

export function judge(lit: Calls, before: Calls): Judged {
  return { lit, before, harm: harmOf(lit, before), comparison: compare(lit, before) };
}

/** Worst first: what is worse before what is not, then by harm, then by how much there is of it. */
export function byHarm(a: Judged, b: Judged): number {
  return rank(b) - rank(a) || (rank(a) ? b.harm.totalNs - a.harm.totalNs : b.lit.calls - a.lit.calls);
}

function rank({ comparison }: Judged): number {
  return comparison.state === 'failing' || comparison.state === 'strained' ? 1 : 0;
}
