/** Days: as old as records may be by default, so that a longer window would hold nothing more. */
const LONGEST_WINDOW_DAYS = 400;
const LONGEST_WINDOW_NS = BigInt(LONGEST_WINDOW_DAYS) * 86_400_000_000_000n;

/** Points of an answer over time, at most: more than a screen is wide are of no use. */
export const MOST_POINTS = 2_000;

/** What is wrong with a window that is asked for; undefined when nothing is. @param from, to epoch nanoseconds */
export function windowFault(from: bigint, to: bigint): string | undefined {
  if (to <= from) return 'to: is not after from';
  if (to - from > LONGEST_WINDOW_NS)
    return `the window is ${(to - from) / 86_400_000_000_000n} days long, ${LONGEST_WINDOW_DAYS} at most; take a shorter one`;
  return undefined;
}
