import type { LookUpCount } from './lookUpCounts.ts';

/** Calls to a node for each request of its caller, before and lit. */
export interface CallCounts {
  readonly before: number;
  readonly lit: number;
}

/** How often nodes of the map are called; undefined when that is not known. */
export interface CallRates {
  readonly counts: (caller: string, callee: string) => CallCounts | undefined;
  /** The caches that a caller asks, by their ids. */
  readonly caches: (caller: string) => readonly string[];
  /** What came of a service's look-ups in a cache; undefined when that is not known. */
  readonly lookUps: (asker: string, cache: string) => { readonly lit: LookUpCount; readonly before: LookUpCount } | undefined;
}

export const NO_RATES: CallRates = { counts: () => undefined, caches: () => [], lookUps: () => undefined };

/** Who is asked more often than before for each request of a caller, and what that costs in all. */
export interface MoreCalls extends CallCounts {
  readonly to: string;
  readonly extraNs: number;
  /** Who asks, where it does so because this node, a cache, answers less; null when the node itself asks. */
  readonly asker: string | null;
}

/** A part in the extra time of what is called: that of the caller, or of a cache which answers it less. */
export interface CallCause extends CallCounts {
  /** Whose part it is: the caller, or the cache. */
  readonly node: string;
  readonly caller: string;
  readonly to: string;
  /** Of the extra time, 0 to 1. */
  readonly share: number;
}

/** A cache is asked as often as before when it is by no less than this. */
const AS_OFTEN = 0.8;
/** What is asked for what a cache has not is asked no more often than the cache, and was so less often by this. */
const AT_MOST = 1.1;
const ANSWERED_BEFORE = 0.9;
/** Who asked nobody behind the cache before does something new. */
const LEAST_BEHIND = 0.01;
/** Fewer calls more than this are no matter. */
const MORE = 1.25;
const LEAST_MORE = 0.2;

/**
 * Splits a node's extra time between those on the way to it who call more often and the node itself, which takes longer each time. Time is
 * the product of calls per request along the way and the time of each call: the logarithms of what each grew by add up, and the
 * extra time is split in their proportion (the logarithmic mean Divisia index). What got less counts as not grown.
 *
 * Where the caller asks a cache first, as often as before, and what it calls more often is called no more often than the cache, the cache answers
 * less: all of the extra time behind it is the cache's, since what is asked so much more often is slower for that, too.
 *
 * @param above services on the way up from the node, the nearest first @returns callers and caches only; what is left is the node's own
 */
export function causesOf(
  {
    node,
    above,
    litNs,
    beforeNs,
  }: { readonly node: string; readonly above: readonly string[]; readonly litNs: number; readonly beforeNs: number },
  rates: CallRates,
): CallCause[] {
  const way = above[0] === node ? above : [node, ...above];
  const grown = way.slice(1).flatMap((caller, at) => {
    const to = way[at];
    const counts = rates.counts(caller, to);
    if (!counts || counts.lit - counts.before < LEAST_MORE || counts.lit < counts.before * MORE) return [];
    // What was never called before has grown without bound: by as much as a thousandth of a call would show.
    return [{ node: caller, caller, to, ...counts, by: Math.log(counts.lit / Math.max(counts.before, 0.001)) }];
  });
  if (grown.length === 0) return [];
  for (const { by: _, ...it } of grown) {
    const cache = rates.caches(it.caller).find((one) => one !== it.to && answersLess(rates.counts(it.caller, one), it));
    if (cache !== undefined) return [{ ...it, node: cache, share: 1 }];
  }
  const byCalls = grown.reduce((sum, it) => sum + it.by, 0);
  const all = beforeNs > 0 ? Math.log(litNs / beforeNs) : byCalls;
  const whole = Math.max(byCalls, all);
  return grown.map(({ by, ...it }) => ({ ...it, share: by / whole }));
}

/** Whether a cache leaves more to those behind it. @param cache how often it is asked @param behind how often what is behind it is */
function answersLess(cache: CallCounts | undefined, behind: CallCounts): boolean {
  if (!cache || cache.before === 0 || cache.lit < AS_OFTEN * cache.before) return false;
  const isBehind = behind.before >= LEAST_BEHIND * cache.before && behind.before <= ANSWERED_BEFORE * cache.before;
  return isBehind && behind.lit <= AT_MOST * cache.lit;
}
