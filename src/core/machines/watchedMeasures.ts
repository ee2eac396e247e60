import type { CallSeries, MinuteOfCalls } from '../incidents/callSeries.ts';
import { PODS_STARTED } from '../incidents/watchedSeries.ts';
import { emptySketch } from '../measures/sketch.ts';
import type { MachineMeasures } from './measureColumns.ts';

/** A measure of machines that is watched for shifts. */
export interface WatchedMeasure {
  /** A host, a virtual machine, or a service. */
  readonly owner: string;
  readonly name: string;
  /** From 0 to 1, minute by minute; NaN where nothing came. */
  readonly values: Float64Array;
}

/** Less is no trouble: METHODS names the marks of capacity. */
export const WATCHED_FROM = 0.1;
/** A pod that was started anew is unwell for so many minutes. */
const UNWELL = 10;
/** A share is looked at as if so many had been asked. */
const ASKED = 100;

/** What is watched of machines: CPU that a host does not give, pressure on hosts, pods that are started again. */
export function watchedMeasures(measures: MachineMeasures): WatchedMeasure[] {
  const found: WatchedMeasure[] = [];
  const pods = new Map<string, Float64Array[]>();
  for (const { kind, name, service } of measures.subjects) {
    if (kind === 'host') {
      const stolen = measures.firstOf('host', name, ['steal', 'steal of time']);
      const used = measures.firstOf('host', name, ['cpu', 'cpu of time']);
      if (stolen && used)
        found.push({
          owner: name,
          name: 'CPU stolen',
          values: stolen.map((value, at) => (value === 0 ? 0 : value / (value + used[at]))),
        });
      // Of a virtual machine without its own cores pressure is what is stolen.
      else
        for (const what of ['cpu', 'memory', 'io'] as const) {
          const values = measures.series('host', name, `pressure ${what}`);
          if (values) found.push({ owner: name, name: `${what === 'cpu' ? 'CPU' : what} pressure`, values });
        }
    } else if (kind === 'container') {
      const restarts = measures.firstOf('container', name, ['restarts', 'kills']);
      if (restarts && service !== '') pods.set(service, [...(pods.get(service) ?? []), restarted(restarts)]);
    }
  }
  for (const [owner, all] of pods)
    found.push({ owner, name: PODS_STARTED, values: all[0].map((_, at) => mean(all.map((values) => values[at]))) });
  return found;
}

/** 1 for minutes within so many after a restart. */
function restarted(counts: Float64Array): Float64Array {
  let [last, until] = [Number.NaN, -1];
  return counts.map((count, at) => {
    if (Number.isNaN(count)) return Number.NaN;
    if (count > last) until = at + UNWELL;
    last = count;
    return at < until ? 1 : 0;
  });
}

function mean(values: readonly number[]): number {
  const known = values.filter((value) => !Number.isNaN(value));
  return known.length === 0 ? Number.NaN : known.reduce((sum, it) => sum + it, 0) / known.length;
}

const NO_DURATIONS = emptySketch();
const WELL: MinuteOfCalls = { calls: ASKED, failures: 0, sketch: NO_DURATIONS };

/** A measure as the series of an operation, so that its shifts are found in the same way: its share is that of calls that fail. */
export function measureSeries(values: ReadonlyMap<number, number>, firstMinute: number, lastMinute: number): CallSeries {
  // One that never reached the mark is not looked at.
  const isWatched = [...values].some(([minute, value]) => minute >= firstMinute && minute <= lastMinute && value >= WATCHED_FROM);
  if (!isWatched) return { firstMinute, minutes: [] };
  return {
    firstMinute,
    minutes: Array.from({ length: lastMinute - firstMinute + 1 }, (_, at) => {
      const value = values.get(firstMinute + at);
      if (value === undefined) return null;
      return value < WATCHED_FROM
        ? WELL
        : { calls: ASKED, failures: Math.round(ASKED * Math.min(1, value)), sketch: NO_DURATIONS };
    }),
  };
}
