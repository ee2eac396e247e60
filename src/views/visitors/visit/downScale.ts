/** A stretch of a visit as it is drawn: milliseconds from its beginning, and where it lies on the page. */
export interface DrawnStretch {
  readonly from: number;
  readonly to: number;
  readonly y: number;
  readonly height: number;
  /** Whether nothing happens in it, and it is drawn short. */
  readonly isFolded: boolean;
}

/** Longer stretches in which nothing happens are folded. */
const FOLD_MS = 3_000;
const FOLDED_PX = 26;
const LEAST_PX = 3;

/**
 * Where the moments of a visit lie, downwards. What happens is drawn on one scale; long stretches without anything are folded; lines of text
 * beside a moment get the room they need.
 *
 * @param edges moments of which something is told, milliseconds from the beginning, sorted @param quiet stretches in which nothing happens
 * @param pxPerMs of what is drawn to scale
 */
export function downScale(
  edges: readonly number[],
  quiet: readonly { readonly from: number; readonly to: number }[],
  end: number,
  pxPerMs: number,
  rowPx: number,
): { readonly stretches: readonly DrawnStretch[]; readonly height: number; readonly at: (ms: number) => number } {
  const cuts = [...new Set([0, ...edges, ...quiet.flatMap(({ from, to }) => [from, to]), end])]
    .filter((it) => it >= 0 && it <= end)
    .sort((a, b) => a - b);
  const told = new Set(edges);
  const stretches: DrawnStretch[] = [];
  let y = 0;
  for (const [at, from] of cuts.slice(0, -1).entries()) {
    const to = cuts[at + 1];
    const isFolded = to - from >= FOLD_MS && quiet.some((it) => it.from <= from && it.to >= to);
    const natural = isFolded ? FOLDED_PX : Math.max(LEAST_PX, (to - from) * pxPerMs);
    // The text of the moment at its top needs a row.
    const height = Math.max(natural, told.has(from) ? rowPx : 0);
    stretches.push({ from, to, y, height, isFolded });
    y += height;
  }
  return {
    stretches,
    height: y,
    at: (ms) => {
      // What is before the beginning lies there.
      const it = stretches.find(({ to }) => ms < to) ?? stretches.at(-1);
      if (!it) return 0;
      return it.y + Math.min(1, Math.max(0, (ms - it.from) / Math.max(1e-9, it.to - it.from))) * it.height;
    },
  };
}
