/** Time between a caller and whom it calls, on the critical paths of as many requests on either side. Services. */
export interface WayTime {
  readonly from: string;
  readonly to: string;
  litNs: number;
  beforeNs: number;
}

/** A way got slower when it takes so many times as long; that matters when it has at least this part of all that ways take longer. */
const SLOWER = 1.25;
const PART = 0.02;

/**
 * Whose fault it is that ways between services take longer: that of whom they lead to, where all of its callers see it, or where its only caller
 * sees it on no other of its ways. Else it stays with the caller: one that is busy, or is cut off, is slow on all its ways, and of
 * two that know only each other it can't be said.
 *
 * @returns those ways of which it is the callee's
 */
export function waysOfCallees(ways: readonly WayTime[]): WayTime[] {
  const all = ways.reduce((sum, { litNs, beforeNs }) => sum + Math.max(0, litNs - beforeNs), 0);
  const isSlower = ({ litNs, beforeNs }: WayTime) => litNs >= SLOWER * beforeNs;
  const matters = (it: WayTime) => isSlower(it) && it.litNs - it.beforeNs >= PART * all;
  return ways.filter((way) => {
    if (!matters(way)) return false;
    const intoSame = ways.filter((it) => it !== way && it.to === way.to);
    const outOfSame = ways.filter((it) => it !== way && it.from === way.from);
    const isSlowOnOthers = 2 * outOfSame.filter(matters).length > outOfSame.length;
    if (isSlowOnOthers) return false;
    return intoSame.length > 0 ? intoSame.every(isSlower) : outOfSame.length > 0;
  });
}
