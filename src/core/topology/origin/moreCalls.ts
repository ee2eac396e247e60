/** Calls to a node for each request of its caller, before and lit. */
export interface CallCounts {
  readonly before: number;
  readonly lit: number;
}
export type CallsPerRequest = (caller: string, callee: string) => CallCounts | undefined;

/** Whom a node asks more often than before for each of its requests, and what that costs in all. */
export interface MoreCalls extends CallCounts {
  readonly to: string;
  readonly extraNs: number;
}

/** A caller's part in the extra time of what is called through it. */
export interface CallCause extends CallCounts {
  readonly caller: string;
  readonly to: string;
  /** Of the extra time, 0 to 1. */
  readonly share: number;
}

/** Fewer calls more than this are no matter. */
const MORE = 1.25;
const LEAST_MORE = 0.2;

/**
 * Splits a node's extra time between those on the way to it who call more often and the node itself, which takes longer each time. Time is
 * the product of calls per request along the way and the time of each call: the logarithms of what each grew by add up, and the
 * extra time is split in their proportion (the logarithmic mean Divisia index). What got less counts as not grown.
 *
 * @param above services on the way up from the node, the nearest first @returns callers only; what is left is the node's own
 */
export function causesOf(
  {
    node,
    above,
    litNs,
    beforeNs,
  }: { readonly node: string; readonly above: readonly string[]; readonly litNs: number; readonly beforeNs: number },
  callsPerRequest: CallsPerRequest,
): CallCause[] {
  const way = above[0] === node ? above : [node, ...above];
  const grown = way.slice(1).flatMap((caller, at) => {
    const to = way[at];
    const counts = callsPerRequest(caller, to);
    if (!counts || counts.lit - counts.before < LEAST_MORE || counts.lit < counts.before * MORE) return [];
    // What was never called before has grown without bound: by as much as a thousandth of a call would show.
    return [{ caller, to, ...counts, by: Math.log(counts.lit / Math.max(counts.before, 0.001)) }];
  });
  if (grown.length === 0) return [];
  const byCalls = grown.reduce((sum, it) => sum + it.by, 0);
  const all = beforeNs > 0 ? Math.log(litNs / beforeNs) : byCalls;
  const whole = Math.max(byCalls, all);
  return grown.map(({ by, ...it }) => ({ ...it, share: by / whole }));
}
