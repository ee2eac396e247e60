import type { Calls } from '../journeys/harm.ts';
import { blocksOf, type CallBlocks } from './callBlocks.ts';
import { hasReference, type Verdict, verdicts } from './verdict.ts';

export interface SumPair {
  readonly lit: Calls;
  readonly before: Calls;
}

/**
 * Judges what is known as sums only: calls between services, instances, versions, operations. All that stands in one list is one family.
 *
 * @param against `siblings`: a row that was not there before is held against the other lit rows, as one instance against the rest
 */
export function sumVerdicts(pairs: readonly SumPair[], against: 'before' | 'siblings' = 'before'): Verdict[] {
  return verdicts(
    pairs.map((it) => ({
      lit: oneBlock([it.lit]),
      before:
        against === 'siblings' && !hasReference(it.lit.calls, it.before.calls)
          ? oneBlock(pairs.filter((other) => other !== it).map(({ lit }) => lit))
          : oneBlock([it.before]),
    })),
  );
}

/** Calls of a window as one block. */
export function oneBlock(sums: readonly Calls[]): CallBlocks {
  return blocksOf(
    1,
    sums.filter(({ calls }) => calls > 0).map(({ calls, failures, sketch }) => ({ at: 0, calls, failures, sketch })),
  );
}
