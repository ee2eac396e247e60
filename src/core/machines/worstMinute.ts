/** How much is ill in a block of minutes. */
export interface IllBlock {
  /** Minutes of the window, the end exclusive. */
  readonly first: number;
  readonly end: number;
  /** Instances that stand on something ill, and instances whose own service is slow. */
  readonly below: number;
  readonly services: number;
}

/**
 * The minute at which most is ill: in the middle of the worst stretch of blocks. Machines count before services, since a program that is slow
 * by itself is no matter of layers. The last minute but some when nothing is ill.
 */
export function worstMinute(blocks: readonly IllBlock[], minutes: number): number {
  const weight = ({ below, services }: IllBlock) => 1_000 * below + services;
  let best = 0;
  for (const block of blocks) best = Math.max(best, weight(block));
  if (best === 0) return Math.max(0, minutes - 5);
  // The longest row of blocks that are about as bad as the worst.
  let [start, length, longest, from] = [0, 0, 0, 0];
  for (const [at, block] of blocks.entries()) {
    if (weight(block) >= 0.6 * best) {
      if (length === 0) from = at;
      length++;
      if (length > longest) {
        longest = length;
        start = from;
      }
    } else length = 0;
  }
  const first = blocks[start].first;
  const end = blocks[start + longest - 1].end;
  return Math.min(minutes - 1, Math.floor((first + end) / 2));
}
