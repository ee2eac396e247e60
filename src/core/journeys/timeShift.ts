import type { LedgerLine } from '../trace/time/ledger.ts';
import type { TimeKind } from '../trace/time/timeKind.ts';

/** What is read of a line of a ledger. */
type Line = Pick<LedgerLine, 'party' | 'kind' | 'durationNs'>;

/** Where the time of some requests went, in all: nanoseconds by party and kind. */
export interface LedgerSum {
  readonly requests: number;
  readonly lines: Map<string, { readonly party: string; readonly kind: TimeKind; ns: number }>;
}

/** Mean time a request spent at a party in a way, before and now; nanoseconds. */
export interface MeanLine {
  readonly party: string;
  readonly kind: TimeKind;
  readonly beforeNs: number;
  readonly litNs: number;
}

/** Adds up the ledgers of some requests. */
export function sumLedgers(ledgers: readonly (readonly Line[])[]): LedgerSum {
  const lines: LedgerSum['lines'] = new Map();
  for (const ledger of ledgers)
    for (const { party, kind, durationNs } of ledger) {
      const key = `${kind} ${party}`;
      const line = lines.get(key);
      if (line) line.ns += durationNs;
      else lines.set(key, { party, kind, ns: durationNs });
    }
  return { requests: ledgers.length, lines };
}

/**
 * Where the mean duration changed between two sets of requests. The differences sum to the difference of the mean durations exactly, but for
 * the rounding of doubles.
 *
 * @returns the largest gain first
 */
export function timeShift(lit: LedgerSum, before: LedgerSum): MeanLine[] {
  const meanIn = (sum: LedgerSum, key: string) => (sum.requests === 0 ? 0 : (sum.lines.get(key)?.ns ?? 0) / sum.requests);
  return [...new Map([...lit.lines, ...before.lines])]
    .map(([key, { party, kind }]) => ({ party, kind, beforeNs: meanIn(before, key), litNs: meanIn(lit, key) }))
    .sort((a, b) => b.litNs - b.beforeNs - (a.litNs - a.beforeNs));
}
