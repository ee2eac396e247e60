import { type LoadSeries, totalOf } from './load.ts';

/** Where a load changed: the step in which it did, and the means of both sides. */
export interface LoadBegin {
  /** Epoch milliseconds. */
  readonly at: number;
  readonly before: number;
  readonly after: number;
}

const FEWEST = 3;
/** Of the spread of all steps, a cut has to take away this part. */
const LEAST_TAKEN = 0.4;

/**
 * Where the load of a series moved to another level: of all ways to cut it in two, the one that leaves the least spread around the means of
 * both sides (two-segment least squares). Undefined when no cut takes away two fifths of the spread.
 */
export function loadBegin({ from, stepMs, samples, counts }: LoadSeries): LoadBegin | undefined {
  const steps = samples.flatMap((taken, at) =>
    taken === 0 ? [] : { at: from + at * stepMs, value: totalOf(counts[at]) / taken },
  );
  if (steps.length < 2 * FEWEST) return undefined;
  const sum = steps.reduce((total, { value }) => total + value, 0);
  const squares = steps.reduce((total, { value }) => total + value * value, 0);
  const spread = squares - (sum * sum) / steps.length;
  let best: { readonly cut: number; readonly left: number } | undefined;
  let head = 0;
  let headSquares = 0;
  for (let cut = 1; cut <= steps.length - FEWEST; cut++) {
    const { value } = steps[cut - 1];
    head += value;
    headSquares += value * value;
    if (cut < FEWEST) continue;
    const rest = steps.length - cut;
    const left = headSquares - (head * head) / cut + (squares - headSquares - (sum - head) ** 2 / rest);
    if (!best || left < best.left) best = { cut, left };
  }
  if (!best || spread <= 0 || (spread - best.left) / spread < LEAST_TAKEN) return undefined;
  const mean = (part: readonly { value: number }[]) => part.reduce((total, { value }) => total + value, 0) / part.length;
  return { at: steps[best.cut].at, before: mean(steps.slice(0, best.cut)), after: mean(steps.slice(best.cut)) };
}
