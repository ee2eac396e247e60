/** Fewer values are put in order. */
const FEW = 2_000;
const HALF = 2 ** 16;

/**
 * The value at a place, from 0, when all stand in order; they stay as they are. Takes time in proportion to their number: by the upper halves of the
 * values first, then by the lower halves of those that share the upper one.
 */
export function atRank(values: Uint32Array, rank: number): number {
  if (values.length < FEW) return values.slice().sort()[rank];
  const counts = new Uint32Array(HALF);
  for (let at = 0; at < values.length; at++) counts[values[at] >>> 16]++;
  const upper = holding(counts, rank);
  counts.fill(0);
  for (let at = 0; at < values.length; at++) if (values[at] >>> 16 === upper.bin) counts[values[at] % HALF]++;
  return upper.bin * HALF + holding(counts, rank - upper.below).bin;
}

/** The bin that a place falls into, and how many lie in those below it. */
function holding(counts: Uint32Array, rank: number): { readonly bin: number; readonly below: number } {
  let [bin, below] = [0, 0];
  while (below + counts[bin] <= rank) below += counts[bin++];
  return { bin, below };
}
