/** Where a series moved to another level, and the means of both sides. */
export interface StepChange {
  /** The place of the first value of the new level. */
  readonly at: number;
  readonly before: number;
  readonly after: number;
}

const FEWEST = 3;
/** Of the spread of all values, a cut has to take away this part. */
const LEAST_TAKEN = 0.4;

/**
 * Where a series moved to another level: of all ways to cut it in two, the one that leaves the least spread around the means of both sides
 * (two-segment least squares). Undefined when no cut takes away two fifths of the spread.
 */
export function stepChange(values: readonly { readonly at: number; readonly value: number }[]): StepChange | undefined {
  if (values.length < 2 * FEWEST) return undefined;
  const sum = values.reduce((total, { value }) => total + value, 0);
  const squares = values.reduce((total, { value }) => total + value * value, 0);
  const spread = squares - (sum * sum) / values.length;
  let best: { readonly cut: number; readonly left: number } | undefined;
  let head = 0;
  let headSquares = 0;
  for (let cut = 1; cut <= values.length - FEWEST; cut++) {
    const { value } = values[cut - 1];
    head += value;
    headSquares += value * value;
    if (cut < FEWEST) continue;
    const rest = values.length - cut;
    const left = headSquares - (head * head) / cut + (squares - headSquares - (sum - head) ** 2 / rest);
    if (!best || left < best.left) best = { cut, left };
  }
  if (!best || spread <= 0 || (spread - best.left) / spread < LEAST_TAKEN) return undefined;
  const mean = (part: readonly { value: number }[]) => part.reduce((total, { value }) => total + value, 0) / part.length;
  return { at: values[best.cut].at, before: mean(values.slice(0, best.cut)), after: mean(values.slice(best.cut)) };
}
