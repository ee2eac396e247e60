/** Where columns stand, as parts of the width. */
export interface Places {
  readonly left: readonly number[];
  readonly width: readonly number[];
}

/** A column that has room for figures is so many times as wide as another. */
const WIDE = 3;
/** So many wide ones still have room. */
const MOST_WIDE = 10;

/** Columns next to each other, those on the lowest ill cell wide enough for their figures. */
export function placesOf(columns: number, wide: ReadonlySet<number>): Places {
  const factor = wide.size > 0 && wide.size <= MOST_WIDE ? WIDE : 1;
  const weights = Array.from({ length: columns }, (_, at) => (wide.has(at) ? factor : 1));
  const all = weights.reduce((sum, it) => sum + it, 0) || 1;
  const left: number[] = [];
  let sum = 0;
  for (const weight of weights) {
    left.push(sum / all);
    sum += weight;
  }
  return { left, width: weights.map((weight) => weight / all) };
}

/** The top of a vessel: what is usual lies at two fifths of it, and what is read fits in. */
export function vesselTop(value: number | null, high: number | null, isShare: boolean): number {
  const top = Math.max((high ?? 0) * 2.5, value ?? 0);
  return isShare ? Math.min(1, Math.max(top, 0.02)) : Math.max(top, 1e-9);
}
