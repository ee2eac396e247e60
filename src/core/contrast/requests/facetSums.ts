import type { Sums, Totals } from '../explained.ts';
import { type ContrastBlock, GROUPS } from './contrastSource.ts';
import type { Slots } from './facetCounts.ts';
import { facetKey, sizeOf } from './requestSet.ts';

/** Figures of one side of a slot, a group: requests, their outcome, its logarithm. */
const FIGURES = 3;
const SIDE = GROUPS * FIGURES;
const SLOT = 2 * SIDE;

/**
 * Sums of the outcome and of its logarithm, by group of requests on both sides; and of the squares of the logarithm. Of requests that fail or not
 * the outcome as it was stands in the place of the logarithm.
 */
export interface SetSums {
  readonly nA: Float64Array;
  readonly nB: Float64Array;
  readonly sumA: Float64Array;
  readonly sumB: Float64Array;
  readonly logA: Float64Array;
  readonly logB: Float64Array;
  /** [A, B] */
  readonly logSquares: readonly [number, number];
}

/** Nanoseconds below this are as good as none: a logarithm has to begin somewhere. */
const LEAST_NS = 1_000;

/** The logarithm by which durations are held against each other without the few longest ones deciding all. */
export function logOf(outcome: number): number {
  return Math.log(Math.max(LEAST_NS, outcome));
}

/** What each request is held against: the mean of B at the same entry, of the outcome and of its logarithm. */
export interface Expected {
  readonly outcome: (entry: string) => number;
  /** undefined where the second channel is the outcome as it was: of requests that fail or not, their count. */
  readonly log: ((entry: string) => number) | undefined;
}

/** Sums the requests of every slot up: the second time that they are gone through. */
export class FacetSums {
  readonly slots: readonly Slots[];
  /** How many slots there are. */
  readonly count: number;
  readonly #sums: Float64Array;
  readonly #squares: Float64Array;
  readonly #all = new Float64Array(SLOT);
  readonly #allSquares = new Float64Array(2);
  readonly #byFacet: Map<string, Slots>;
  readonly #expected: Expected;

  constructor(slots: readonly Slots[], count: number, expected: Expected) {
    this.slots = slots;
    this.count = count;
    this.#sums = new Float64Array(count * SLOT);
    this.#squares = new Float64Array(count * 2);
    this.#byFacet = new Map(slots.map((it) => [facetKey(it.of.facet), it]));
    this.#expected = expected;
  }

  add(block: ContrastBlock): void {
    const { count, isA, group, weight, rows, columns } = block;
    const { outcome, log } = heldAgainst(block, this.#expected);
    const sums = this.#sums;
    const squares = this.#squares;
    // What is the same of a request for each of its values: where its figures stand in a slot, and what is added there.
    const place = new Uint32Array(count);
    const weighted = new Float64Array(count);
    const weightedLog = new Float64Array(count);
    const square = new Float64Array(count);
    for (let at = 0; at < count; at++) {
      place[at] = (isA[at] === 1 ? 0 : SIDE) + group[at] * FIGURES;
      weighted[at] = weight[at] * outcome[at];
      weightedLog[at] = weight[at] * log[at];
      square[at] = weightedLog[at] * log[at];
    }
    const put = (into: Float64Array, intoSquares: Float64Array, slot: number, at: number) => {
      const base = slot * SLOT + place[at];
      into[base] += weight[at];
      into[base + 1] += weighted[at];
      into[base + 2] += weightedLog[at];
      intoSquares[slot * 2 + 1 - isA[at]] += square[at];
    };
    for (let at = 0; at < count; at++) put(this.#all, this.#allSquares, 0, at);
    for (const { offsets, items, labels } of columns) {
      const of = labels.map(({ facet }) => this.#byFacet.get(facetKey(facet)));
      if (of.every((it) => it === undefined)) continue;
      const numbers = of[0]?.type === 'numbers' ? of[0] : undefined;
      if (numbers) {
        const sizes = labels.map(({ value }) => sizeOf(value));
        for (let at = 0; at < count; at++) {
          let size = Number.NaN;
          // Of several numbers the largest: "at least" holds when it holds for one.
          for (let item = offsets[rows[at]]; item < offsets[rows[at] + 1]; item++)
            if (!(sizes[items[item]] <= size)) size = sizes[items[item]];
          if (Number.isNaN(size)) continue;
          put(sums, squares, numbers.first + partOf(numbers.bounds, size), at);
        }
        continue;
      }
      const slotOf = Int32Array.from(labels, ({ value }, label) => {
        const slots = of[label];
        return slots?.type === 'values' ? (slots.slots.get(value) ?? -1) : -1;
      });
      for (let at = 0; at < count; at++)
        for (let item = offsets[rows[at]]; item < offsets[rows[at] + 1]; item++) {
          const slot = slotOf[items[item]];
          if (slot >= 0) put(sums, squares, slot, at);
        }
    }
  }

  /** Of all requests. */
  all(): SetSums {
    return readSlots(this.#all, this.#allSquares, [0]);
  }

  /** Of the requests of some slots, of which no request is in two. */
  of(slots: readonly number[]): SetSums {
    return readSlots(this.#sums, this.#squares, slots);
  }

  /** Requests and outcomes of one slot. */
  totals(slot: number): Totals {
    const total = (side: number, figure: number) => {
      let sum = 0;
      for (let group = 0; group < GROUPS; group++) sum += this.#sums[slot * SLOT + side * SIDE + group * FIGURES + figure];
      return sum;
    };
    return { nA: total(0, 0), nB: total(1, 0), sumA: total(0, 1), sumB: total(1, 1) };
  }
}

/** The outcomes of a block less what is expected of each. */
export function heldAgainst(
  { count, outcome, entry, entries }: ContrastBlock,
  expected: Expected,
): { readonly outcome: Float64Array; readonly log: Float64Array } {
  const usual = entries.map(expected.outcome);
  const { log: logExpected } = expected;
  const usualLog = logExpected && entries.map(logExpected);
  const less = new Float64Array(count);
  const log = new Float64Array(count);
  for (let at = 0; at < count; at++) {
    less[at] = outcome[at] - usual[entry[at]];
    log[at] = usualLog ? logOf(outcome[at]) - usualLog[entry[at]] : outcome[at];
  }
  return { outcome: less, log };
}

/** In which part a number lies: how many bounds it reaches. */
function partOf(bounds: readonly number[], size: number): number {
  let [low, high] = [0, bounds.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (bounds[middle] <= size) low = middle + 1;
    else high = middle;
  }
  return low;
}

function readSlots(from: Float64Array, squares: Float64Array, slots: readonly number[]): SetSums {
  const read = (side: number, figure: number) => {
    const into = new Float64Array(GROUPS);
    for (const slot of slots)
      for (let group = 0; group < GROUPS; group++) into[group] += from[slot * SLOT + side * SIDE + group * FIGURES + figure];
    return into;
  };
  const square = (side: number) => slots.reduce((sum, slot) => sum + squares[slot * 2 + side], 0);
  return {
    nA: read(0, 0),
    nB: read(1, 0),
    sumA: read(0, 1),
    sumB: read(1, 1),
    logA: read(0, 2),
    logB: read(1, 2),
    logSquares: [square(0), square(1)],
  };
}

/** The requests of two sums of which no request is in both. */
export function plusSums(one: SetSums, other: SetSums): SetSums {
  return joinedSums(one, other, 1);
}

/** The requests of some sums that are not among others, which are part of them. */
export function minusSums(all: SetSums, part: SetSums): SetSums {
  return joinedSums(all, part, -1);
}

/** By plain loops: this is done for tens of thousands of sets. */
function joinedSums(one: SetSums, other: SetSums, sign: 1 | -1): SetSums {
  const join = (a: Float64Array, b: Float64Array) => {
    const into = new Float64Array(GROUPS);
    for (let group = 0; group < GROUPS; group++) into[group] = a[group] + sign * b[group];
    return into;
  };
  return {
    nA: join(one.nA, other.nA),
    nB: join(one.nB, other.nB),
    sumA: join(one.sumA, other.sumA),
    sumB: join(one.sumB, other.sumB),
    logA: join(one.logA, other.logA),
    logB: join(one.logB, other.logB),
    logSquares: [one.logSquares[0] + sign * other.logSquares[0], one.logSquares[1] + sign * other.logSquares[1]],
  };
}

/** The sums of every other group: what is chosen among the one half is tested on the other. Squares are known of both together, half of which each has about. */
export function halfOf(sums: SetSums, which: 'even' | 'odd'): SetSums {
  const wanted = which === 'odd' ? 1 : 0;
  const half = (of: Float64Array) => {
    const into = new Float64Array(GROUPS);
    for (let group = wanted; group < GROUPS; group += 2) into[group] = of[group];
    return into;
  };
  return {
    nA: half(sums.nA),
    nB: half(sums.nB),
    sumA: half(sums.sumA),
    sumB: half(sums.sumB),
    logA: half(sums.logA),
    logB: half(sums.logB),
    logSquares: [sums.logSquares[0] / 2, sums.logSquares[1] / 2],
  };
}

/** The logarithms in the place of the outcomes. */
export function logsOf({ nA, nB, logA, logB }: SetSums): Sums {
  return { nA, nB, sumA: logA, sumB: logB };
}
