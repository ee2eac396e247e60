import { type Calls, type Harm, harmOf } from '../../core/journeys/harm.ts';
import { emptySketch, mergeInto } from '../../core/measures/sketch.ts';
import type { Verdict } from '../../core/verdict/verdict.ts';
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
  readonly verdict: Verdict;
}

const UNKNOWN: Verdict = { state: 'unknown', basis: 'none' };

export function judge(lit: Calls, before: Calls, verdict: Verdict = UNKNOWN): Judged {
  return { lit, before, harm: harmOf(lit, before), verdict };
}

/** Worst first: what is worse before what may be, before what is not; then by harm, then by how much there is of it. */
export function byHarm(a: Judged, b: Judged): number {
  return rank(b) - rank(a) || (rank(a) ? b.harm.totalNs - a.harm.totalNs : b.lit.calls - a.lit.calls);
}

function rank({ verdict: { state } }: Judged): number {
  if (state === 'failing' || state === 'strained') return 2;
  return state === 'perhaps' ? 1 : 0;
}
