import { byMinutes, type LoadSeries, totalOf } from './load.ts';

/** A part of a stretch in which the load was higher than ever before. */
export interface LoadBurst {
  /** Epoch milliseconds. */
  readonly from: number;
  readonly to: number;
  /** Average active sessions in it. */
  readonly value: number;
  /** Whether it was over before the stretch was. */
  readonly isOver: boolean;
}

/** So many minutes in a row at least, … */
const FEWEST = 3;
/** … held against as many minutes that "ever" means something, … */
const FEWEST_BEFORE = 20;
/** … so many times as high as the highest of those, in the mean, … */
const TIMES = 1.5;
/** … and so many sessions more than usual. */
const LEAST_MORE = 0.5;

/**
 * The worst part of a stretch: minutes in a row, all above the highest minute of before; the one with most above the mean of before. The mean of a
 * long window hides an hour of trouble, and its spread makes the mean seem unsure: minutes that are all higher than any of many before are not chance.
 * Undefined where there is none. Both series are held in steps of the coarser one.
 */
export function loadBurst(lit: LoadSeries, before: LoadSeries): LoadBurst | undefined {
  const stepMs = Math.max(byMinutes(lit).stepMs, byMinutes(before).stepMs);
  const usual = valuesOf(before, stepMs).filter(({ value }) => value !== undefined) as Step[];
  if (usual.length < FEWEST_BEFORE) return undefined;
  const most = Math.max(...usual.map(({ value }) => value));
  const mean = usual.reduce((sum, { value }) => sum + value, 0) / usual.length;
  const steps = valuesOf(lit, stepMs);
  let best: { readonly from: number; readonly to: number; readonly more: number } | undefined;
  for (let from = 0; from < steps.length; from++) {
    if (!isAbove(steps[from].value, most)) continue;
    let to = from;
    let more = 0;
    while (to < steps.length && isAbove(steps[to].value, most)) more += steps[to++].value! - mean;
    if (!best || more > best.more) best = { from, to, more };
    from = to;
  }
  if (!best) return undefined;
  const count = best.to - best.from;
  const value = mean + best.more / count;
  if (count < FEWEST || value < TIMES * most || value - mean < LEAST_MORE) return undefined;
  const last = steps.findLastIndex((it) => it.value !== undefined);
  return { from: steps[best.from].at, to: steps[best.to - 1].at + stepMs, value, isOver: best.to <= last };
}

interface Step {
  readonly at: number;
  readonly value: number;
}

const isAbove = (value: number | undefined, most: number) => value !== undefined && value > most;

/** Average active sessions by steps of so many milliseconds or a little more; undefined where nothing was sampled. */
function valuesOf(series: LoadSeries, stepMs: number): { at: number; value: number | undefined }[] {
  const joined = Math.max(1, Math.round(stepMs / series.stepMs));
  return Array.from({ length: Math.ceil(series.samples.length / joined) }, (_, step) => {
    const [from, to] = [step * joined, Math.min((step + 1) * joined, series.samples.length)];
    let [taken, sessions] = [0, 0];
    for (let at = from; at < to; at++) {
      taken += series.samples[at];
      sessions += totalOf(series.counts[at]);
    }
    return { at: series.from + from * series.stepMs, value: taken === 0 ? undefined : sessions / taken };
  });
}
