/** What share of calls is usually marked, and how far that is known. */
export interface UsualShare {
  /** Between 0 and 1, exclusive. */
  readonly share: number;
  /** Calls that it rests on. */
  readonly calls: number;
  /** How much more the counts of stretches vary than chance, by how many blocks a stretch has: 1 when not at all. */
  readonly unrest: (blocks: number) => number;
}

/** Stretches by which unrest is judged, in blocks; each needs so many of them. */
const SCALES = [1, 6, 12] as const;
const ENOUGH_STRETCHES = 6;
/** A stretch of fewer expected calls says nothing of unrest. */
const ENOUGH_CALLS = 3;

/**
 * The usual share of marked calls from blocks of a time that is held to be usual. Half a call more than were seen is counted, so that what
 * never happened is not held to be impossible. Unrest is Pearson's statistic over its degrees of freedom, at the length of the stretch
 * that is judged by it or the longest for which there is enough.
 */
export function usualShare(calls: readonly number[], marked: readonly number[]): UsualShare {
  const all = sum(calls);
  const share = (sum(marked) + 0.5) / (all + 1);
  const unrests: number[] = [];
  for (const scale of SCALES) {
    const found = unrestAt(calls, marked, share, scale);
    unrests.push(Math.max(found ?? 1, unrests[unrests.length - 1] ?? 1));
  }
  return {
    share,
    calls: all,
    unrest: (blocks) => unrests[blocks <= 2 ? 0 : blocks <= 6 ? 1 : 2],
  };
}

function unrestAt(calls: readonly number[], marked: readonly number[], share: number, scale: number): number | undefined {
  let statistic = 0;
  let stretches = 0;
  for (let at = 0; at + scale <= calls.length; at += scale) {
    const n = sum(calls.slice(at, at + scale));
    if (n < ENOUGH_CALLS) continue;
    const k = sum(marked.slice(at, at + scale));
    statistic += (k - n * share) ** 2 / (n * share * (1 - share));
    stretches++;
  }
  return stretches < ENOUGH_STRETCHES ? undefined : statistic / (stretches - 1);
}

function sum(numbers: readonly number[]): number {
  return numbers.reduce((total, it) => total + it, 0);
}
