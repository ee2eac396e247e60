import type { LedgerLine } from '../trace/ledger.ts';
import type { TimeKind } from '../trace/timeKind.ts';

/** What is read of a line of a ledger. */
type Line = Pick<LedgerLine, 'party' | 'kind' | 'durationNs'>;

/** Mean time a request spent at a place in a way, before and now; nanoseconds. */
export interface MeanLine {
  readonly party: string;
  readonly kind: TimeKind;
  readonly beforeNs: number;
  readonly litNs: number;
}

/**
 * Where the mean duration changed between two sets of traces. The differences sum to the difference of the mean durations exactly, but for
 * the rounding of doubles.
 *
 * @returns the largest gain first
 */
export function timeShift(lit: readonly (readonly Line[])[], before: readonly (readonly Line[])[]): MeanLine[] {
  const lines = new Map<string, { party: string; kind: TimeKind; beforeNs: number; litNs: number }>();
  const book = (ledgers: typeof lit, side: 'beforeNs' | 'litNs') => {
    for (const ledger of ledgers)
      for (const { party, kind, durationNs } of ledger) {
        const key = `${kind} ${party}`;
        const line = lines.get(key) ?? { party, kind, beforeNs: 0, litNs: 0 };
        line[side] += durationNs / ledgers.length;
        lines.set(key, line);
      }
  };
  book(lit, 'litNs');
  book(before, 'beforeNs');
  return [...lines.values()].sort((a, b) => b.litNs - b.beforeNs - (a.litNs - a.beforeNs));
}
