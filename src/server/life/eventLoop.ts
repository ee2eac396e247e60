import { type IntervalHistogram, monitorEventLoopDelay } from 'node:perf_hooks';

/** How long the process could not answer, in milliseconds, over the last whole minute. */
export interface LoopDelay {
  readonly p99Ms: number;
  readonly maxMs: number;
}

const RESOLUTION_MS = 10;
const ROUND_MS = 60_000;

let histogram: IntervalHistogram | undefined;
let delay: LoopDelay | null = null;

/** The delay of the last whole minute; null in the first one. Watching begins with the first question. */
export function loopDelay(): LoopDelay | null {
  if (histogram) return delay;
  const watched = monitorEventLoopDelay({ resolution: RESOLUTION_MS });
  watched.enable();
  histogram = watched;
  const blocked = (ns: number) => Math.max(0, ns / 1e6 - RESOLUTION_MS);
  setInterval(() => {
    delay = { p99Ms: blocked(watched.percentile(99)), maxMs: blocked(watched.max) };
    watched.reset();
  }, ROUND_MS).unref();
  return delay;
}
