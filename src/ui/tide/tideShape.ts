import { AT_WORK, WAIT_CLASSES, type WaitClass } from '../../core/database/waitClasses.ts';

/** A load over time, average active sessions by class. */
export interface TideData {
  readonly from: number;
  readonly stepMs: number;
  readonly samples: readonly number[];
  readonly loads: readonly (readonly number[])[];
}

/** The bars of one class: each a step, in sessions from the waterline; up is positive, down negative. */
export interface TideLayer {
  readonly waitClass: WaitClass;
  readonly bars: readonly { readonly step: number; readonly low: number; readonly high: number }[];
}

export interface TideShape {
  readonly layers: readonly TideLayer[];
  /** How far it reaches above the waterline and below, in sessions. */
  readonly top: number;
  readonly bottom: number;
  /** Whether the line of the cores lies inside. */
  readonly hasCores: boolean;
  /** Runs of steps in which the sampler was away. */
  readonly gaps: readonly { readonly from: number; readonly to: number }[];
}

/** The line of the cores is drawn as long as the load is no less than this part of it. */
const LEAST_OF_CORES = 0.2;
const ROOM = 1.15;

/** Sessions at work stand above the waterline, those that wait hang below it, on one scale. */
export function tideShape({ samples, loads }: TideData, cores: number): TideShape {
  const layers = WAIT_CLASSES.map((waitClass) => ({
    waitClass,
    bars: [] as { step: number; low: number; high: number }[],
  }));
  let top = 0;
  let bottom = 0;
  for (const [step, load] of loads.entries()) {
    if (samples[step] === 0) continue;
    let up = 0;
    let down = 0;
    for (const [at, waitClass] of WAIT_CLASSES.entries()) {
      const value = load[at] ?? 0;
      if (value <= 0) continue;
      if (AT_WORK.has(waitClass)) {
        layers[at].bars.push({ step, low: up, high: up + value });
        up += value;
      } else {
        layers[at].bars.push({ step, low: -down - value, high: -down });
        down += value;
      }
    }
    top = Math.max(top, up);
    bottom = Math.max(bottom, down);
  }
  const highest = Math.max(top, bottom);
  const hasCores = cores > 0 && highest >= LEAST_OF_CORES * cores;
  return {
    layers: layers.filter(({ bars }) => bars.length > 0),
    top: Math.max(hasCores ? cores * ROOM : 0, top * ROOM, highest * 0.12, 0.01),
    bottom: Math.max(bottom * ROOM, highest * 0.12, 0.01),
    hasCores,
    gaps: runsOf(samples),
  };
}

function runsOf(samples: readonly number[]): { from: number; to: number }[] {
  const runs: { from: number; to: number }[] = [];
  for (const [step, taken] of samples.entries()) {
    if (taken > 0) continue;
    const last = runs.at(-1);
    if (last?.to === step) last.to = step + 1;
    else runs.push({ from: step, to: step + 1 });
  }
  return runs;
}
