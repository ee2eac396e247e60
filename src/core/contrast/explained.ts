import { GROUPS } from './requests/contrastSource.ts';
import { studentQuantile, studentTail } from './statistics/tails.ts';

/*
 * What a set of requests explains of the difference between two populations, and how sure that is.
 */

/** Counts and sums of an outcome on both sides, by group of requests. */
export interface Sums {
  readonly nA: Float64Array;
  readonly nB: Float64Array;
  readonly sumA: Float64Array;
  readonly sumB: Float64Array;
}

/** Counts and sums on both sides. */
export interface Totals {
  readonly nA: number;
  readonly nB: number;
  readonly sumA: number;
  readonly sumB: number;
}

/** The sums of all groups together. */
export function totalsOf({ nA, nB, sumA, sumB }: Sums): Totals {
  return { nA: totalOf(nA), nB: totalOf(nB), sumA: totalOf(sumA), sumB: totalOf(sumB) };
}

function totalOf(groups: Float64Array): number {
  let sum = 0;
  for (const it of groups) sum += it;
  return sum;
}

export function minus(all: Totals, part: Totals): Totals {
  return { nA: all.nA - part.nA, nB: all.nB - part.nB, sumA: all.sumA - part.sumA, sumB: all.sumB - part.sumB };
}

/** Mean A less mean B; 0 when a side is empty. */
export function differenceOf({ nA, nB, sumA, sumB }: Totals): number {
  return nA > 0 && nB > 0 ? sumA / nA - sumB / nB : 0;
}

/** What a set explains of the difference of the means, split into requests that behave otherwise and more of those that always did. */
export interface Explained {
  readonly whole: number;
  readonly behaviour: number;
  readonly mix: number;
}

const NOTHING: Explained = { whole: 0, behaviour: 0, mix: 0 };

/**
 * T − (m_Ar − m_Br) = a·(m_Av − m_Ar) − b·(m_Bv − m_Br), where v is the set, r the rest, a and b the shares of the set on either side. Where B has
 * none of the set its mean is taken to be that of the rest, and all of it is behaviour: it cannot have more of what is new. A set that is all of a
 * side cannot be told from the side itself: it explains nothing.
 */
export function explainedOf(all: Totals, set: Totals): Explained {
  const rest = minus(all, set);
  if (!(rest.nA > 0) || !(rest.nB > 0) || !(set.nA + set.nB > 0)) return NOTHING;
  const [meanAr, meanBr] = [rest.sumA / rest.nA, rest.sumB / rest.nB];
  const moreA = set.nA > 0 ? set.sumA / set.nA - meanAr : 0;
  const moreB = set.nB > 0 ? set.sumB / set.nB - meanBr : 0;
  const [a, b] = [set.nA / all.nA, set.nB / all.nB];
  if (!(set.nB > 0)) return { whole: a * moreA, behaviour: a * moreA, mix: 0 };
  // Of one that A lacks, what it would be like there is not known: as it is in B.
  const inA = set.nA > 0 ? moreA : moreB;
  return {
    whole: a * moreA - b * moreB,
    behaviour: 0.5 * (a + b) * (inA - moreB),
    mix: 0.5 * (a - b) * (inA + moreB),
  };
}

/** Of A, chosen by its outcome out of A and B: the share that would not be in it if the set were like the rest. 1 − P(A|r) / P(A). */
export function attributableShare(all: Totals, set: Totals): number {
  const rest = minus(all, set);
  const [ofAll, ofRest] = [all.nA + all.nB, rest.nA + rest.nB];
  if (!(ofRest > 0) || !(all.nA > 0)) return 0;
  return 1 - rest.nA / ofRest / (all.nA / ofAll);
}

/** An estimate with its standard error. */
export interface Estimate {
  readonly value: number;
  readonly error: number;
  /** Groups of requests that it is from. */
  readonly groups: number;
}

/** An estimate from all requests and its standard error: the delete-a-group jackknife (Kott, 2001). */
export function jackknife(all: Sums, set: Sums, figure: (all: Totals, set: Totals) => number): Estimate {
  const [allOf, setOf] = [totalsOf(all), totalsOf(set)];
  const value = figure(allOf, setOf);
  // The same two objects each time: this is done for thousands of sets.
  const restOfAll = { nA: 0, nB: 0, sumA: 0, sumB: 0 };
  const restOfSet = { nA: 0, nB: 0, sumA: 0, sumB: 0 };
  let sum = 0;
  let squares = 0;
  let groups = 0;
  for (let group = 0; group < GROUPS; group++) {
    if (all.nA[group] + all.nB[group] === 0) continue;
    groups++;
    leaveOut(restOfAll, allOf, all, group);
    leaveOut(restOfSet, setOf, set, group);
    const one = figure(restOfAll, restOfSet) - value;
    sum += one;
    squares += one * one;
  }
  if (groups < 2) return { value, error: Number.POSITIVE_INFINITY, groups };
  const variance = ((groups - 1) / groups) * Math.max(0, squares - (sum * sum) / groups);
  return { value, error: Math.sqrt(variance), groups };
}

function leaveOut(into: { nA: number; nB: number; sumA: number; sumB: number }, of: Totals, from: Sums, group: number): void {
  into.nA = of.nA - from.nA[group];
  into.nB = of.nB - from.nB[group];
  into.sumA = of.sumA - from.sumA[group];
  into.sumB = of.sumB - from.sumB[group];
}

/** The chance that an estimate is so far above zero for nothing. */
export function chanceOf({ value, error, groups }: Estimate): number {
  if (!(value > 0)) return 1;
  return error > 0 ? studentTail(value / error, Math.max(1, groups - 1)) : 0.5;
}

const NINETY_FIVE = studentQuantile(0.025, GROUPS - 1);
const NINETY_NINE = studentQuantile(0.01, GROUPS - 1);

/** In which the truth lies 95 times in 100. */
export function interval({ value, error }: Estimate): [number, number] {
  return [value - NINETY_FIVE * error, value + NINETY_FIVE * error];
}

/** What the truth is below, 99 times in 100. */
export function upperBound({ value, error }: Estimate): number {
  return Math.max(0, value) + NINETY_NINE * error;
}
