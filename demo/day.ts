import type { Span } from '../src/core/trace/span.ts';
import { EVERYDAY, HARMLESS, type Harmless } from './incidents/harmless.ts';
import type { Incident } from './incidents/incident.ts';
import { INCIDENTS } from './incidents/known.ts';
import { Run, type RunOptions } from './run.ts';
import type { Output } from './telemetry/output.ts';

const HOUR_MS = 3_600_000;
const DAY_MS = 24 * HOUR_MS;
/** The stretch before the end that is there first. */
export const RECENT_MS = 2 * HOUR_MS;

export interface DayOptions {
  /** The moment the data runs up to, epoch milliseconds. */
  readonly endMs: number;
  readonly hours: number;
  /** Hours before those, in which nothing goes wrong: they say what is usual. */
  readonly quietHours?: number;
  readonly seed: number;
  readonly scale?: number;
  readonly incidents?: readonly Incident[];
  readonly harmless?: readonly Harmless[];
}

/** The day before the regatta has less to do. */
const QUIET_TRAFFIC = 0.5;

/** The last hours of a day, and what lies before: two stretches, each with a seed of its own, so that the last can be had first. */
export function stretchesOf({ endMs, hours, seed, scale, incidents = INCIDENTS, harmless = HARMLESS }: DayOptions): {
  readonly recent: RunOptions;
  readonly earlier: RunOptions | undefined;
} {
  const fromMs = endMs - hours * HOUR_MS;
  const cut = Math.max(fromMs, endMs - RECENT_MS);
  const both = { endMs, scale, incidents, harmless };
  return {
    recent: { ...both, fromMs: cut, untilMs: endMs, seed },
    earlier: cut > fromMs ? { ...both, fromMs, untilMs: cut, seed: seed ^ 0x7ea51e } : undefined,
  };
}

/** The hours before the day, in which nothing goes wrong; undefined when none are asked for. */
export function quietStretch({ endMs, hours, quietHours = 0, seed, scale = 1 }: DayOptions): RunOptions | undefined {
  if (quietHours <= 0) return undefined;
  const untilMs = endMs - hours * HOUR_MS;
  return {
    // The same hours have the same traffic, and the same jobs, as on the day that follows.
    endMs: endMs - DAY_MS,
    fromMs: untilMs - quietHours * HOUR_MS,
    untilMs,
    seed: seed ^ 0x0ca1a,
    scale: scale * QUIET_TRAFFIC,
    incidents: [],
    harmless: EVERYDAY,
  };
}

/** Runs the day as one, earlier hours first. */
export function runDay(options: DayOptions, output: Output): void {
  const { recent, earlier } = stretchesOf(options);
  for (const stretch of [earlier, recent]) if (stretch) new Run(stretch, output).advance(stretch.untilMs!);
}

/** The spans of some hours, in the order they ended. */
export function simulateDay(options: DayOptions): Span[] {
  const spans: Span[] = [];
  runDay(options, { span: (span) => spans.push(span), log: () => {}, point: () => {}, profile: () => {} });
  return spans;
}
