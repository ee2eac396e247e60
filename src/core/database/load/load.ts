import { WAIT_CLASSES } from '../waitClasses.ts';

/** Samples by wait class, in the order of `WAIT_CLASSES`. */
export type ClassCounts = Float64Array;

export function noCounts(): ClassCounts {
  return new Float64Array(WAIT_CLASSES.length);
}

export function totalOf(counts: ArrayLike<number>): number {
  let sum = 0;
  for (let at = 0; at < counts.length; at++) sum += counts[at];
  return sum;
}

/** Load over time: average active sessions by class, a step at a time. */
export interface LoadSeries {
  /** Epoch milliseconds of the first step. */
  readonly from: number;
  readonly stepMs: number;
  /** How many moments were sampled in each step; 0 where the sampler was away. */
  readonly samples: readonly number[];
  /** Sessions by class, for each step; sums, not averages. */
  readonly counts: readonly ClassCounts[];
}

/** Average active sessions and how uncertain that is. */
export interface Load {
  readonly value: number;
  /** 95 times in 100 the true one is no further away: ± 1.96·√(load / samples). */
  readonly error: number;
  readonly byClass: readonly number[];
  readonly samples: number;
}

/** The load of a stretch. Undefined when nothing was sampled: a missing second is an outage of the sampler, never zero load. */
export function loadOf(counts: ArrayLike<number>, samples: number): Load | undefined {
  if (samples === 0) return undefined;
  const byClass = Array.from(counts, (count) => count / samples);
  const value = totalOf(byClass);
  return { value, error: 1.96 * Math.sqrt(value / samples), byClass, samples };
}

/** The load of all steps of a series together. */
export function loadOfSeries({ samples, counts }: LoadSeries): Load | undefined {
  const sum = noCounts();
  for (const step of counts) for (let at = 0; at < sum.length; at++) sum[at] += step[at];
  return loadOf(sum, totalOf(samples));
}

const MINUTE_MS = 60_000;

/** A series in steps of a minute at least: the sessions of one second are mostly those of the next, those of two minutes hardly ever. */
export function byMinutes(series: LoadSeries): LoadSeries {
  const joined = Math.ceil(MINUTE_MS / series.stepMs);
  if (joined === 1) return series;
  const minutes = emptySeries(series.from, series.from + series.stepMs * series.samples.length, joined * series.stepMs);
  for (const [at, taken] of series.samples.entries()) {
    const minute = Math.floor(at / joined);
    minutes.samples[minute] += taken;
    for (const [of, count] of series.counts[at].entries()) minutes.counts[minute][of] += count;
  }
  return minutes;
}

/** The step in which a moment lies; -1 outside of the series. */
export function stepOf({ from, stepMs, samples }: LoadSeries, ms: number): number {
  const at = Math.floor((ms - from) / stepMs);
  return at >= 0 && at < samples.length ? at : -1;
}

export function emptySeries(from: number, to: number, stepMs: number): LoadSeries & { samples: number[]; counts: ClassCounts[] } {
  const steps = Math.max(1, Math.ceil((to - from) / stepMs));
  return { from, stepMs, samples: new Array(steps).fill(0), counts: Array.from({ length: steps }, noCounts) };
}
