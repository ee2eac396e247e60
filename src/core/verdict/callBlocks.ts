import { emptySketch, mergeInto, quantiles, type Sketch } from '../measures/sketch.ts';

/** Calls in stretches of equal length, one after the other; a stretch without a call may be left out. */
export interface CallBlocks {
  /** Minutes of each. */
  readonly step: number;
  readonly blocks: readonly {
    /** Minutes since 1970-01-01. */
    readonly at: number;
    readonly calls: number;
    readonly failures: number;
  }[];
  /** How many calls of each block took longer than each of some bounds, nanoseconds: `result[bound][block]`. */
  readonly over: (bounds: readonly number[]) => number[][];
  /** Quantiles of the blocks from one to another, inclusive: nanoseconds; null without calls. */
  readonly quantiles: (first: number, last: number, shares: readonly number[]) => (number | null)[];
}

/** Blocks of which the sketches lie in memory; several of one time are one. */
export function blocksOf(
  step: number,
  parts: readonly { readonly at: number; readonly calls: number; readonly failures: number; readonly sketch: Sketch }[],
): CallBlocks {
  const byTime = new Map<number, { at: number; calls: number; failures: number; sketch: Sketch }>();
  for (const { at, calls, failures, sketch } of parts) {
    const block = byTime.get(at) ?? { at, calls: 0, failures: 0, sketch: emptySketch() };
    byTime.set(at, block);
    block.calls += calls;
    block.failures += failures;
    mergeInto(block.sketch, sketch);
  }
  const blocks = [...byTime.values()].sort((a, b) => a.at - b.at);
  return {
    step,
    blocks,
    over: (bounds) => bounds.map((bound) => blocks.map(({ sketch }) => countOver(sketch, bound))),
    quantiles: (first, last, shares) => {
      const all = emptySketch();
      for (let at = first; at <= last; at++) mergeInto(all, blocks[at].sketch);
      return quantiles(all, shares);
    },
  };
}

/** How many values lie in buckets of which the middle is over a bound. */
export function countOver({ buckets }: Sketch, bound: number): number {
  let count = 0;
  const first = firstBucketOver(bound);
  for (const [bucket, times] of buckets) if (bucket >= first) count += times;
  return count;
}

/** The first bucket of a sketch of which the middle is over a bound. */
export function firstBucketOver(bound: number): number {
  return bound > 0 ? Math.floor(Math.log2(bound) * 16 - 0.5) + 1 : Number.NEGATIVE_INFINITY;
}
