import { uniformFloat64 } from 'pure-rand/distribution/uniformFloat64';
import { xoroshiro128plus } from 'pure-rand/generator/xoroshiro128plus';
import { type Distribution, mergeDistributions, quantileOf, valuesLike } from './distribution.ts';
import { replay } from './replay.ts';

/** What a pool of one instance measured in a minute. */
export interface PoolMinute {
  /** Minutes since 1970-01-01. */
  readonly minute: number;
  /** Requests that came for a connection. */
  readonly arrivals: number;
  readonly holds: Distribution;
}

/** Waits at one size of the pool, seconds, over all replays. */
export interface SizePoint {
  readonly size: number;
  readonly p50: number;
  readonly p95: number;
  readonly p99: number;
  readonly mean: number;
  /** The least and the greatest p95 of the replays. */
  readonly range: readonly [number, number];
  readonly inUse: number;
  readonly waiting: number;
  /** Share of requests that gave up. */
  readonly lost: number;
}

export interface Sizing {
  readonly points: readonly SizePoint[];
  /** The smallest size whose p95 wait is under the target; null when none of those looked at is. */
  readonly enough: number | null;
  /** From this size on nobody waits, 999 times in 1000; null when that is beyond those looked at. */
  readonly idle: number | null;
  /** Below this size more comes than can be served, so that the queue grows without end. */
  readonly least: number;
}

export interface SizingOptions {
  readonly sizes: readonly number[];
  /** Seconds. */
  readonly target: number;
  readonly patience: number;
  readonly seed?: number;
}

const REPLAYS = 5;
/** Requests that one replay has at least: short windows are gone through again and again. */
const FEWEST = 4_000;
/** And at most: of longer windows each replay goes through another stretch. */
const MOST = 20_000;
/** Holds of fewer are put together with those of the minutes around them. */
const ENOUGH_HOLDS = 8;

/**
 * What would be waited for at other sizes of a pool: the measured arrivals of each minute, at random places in it, with the hold times that were
 * measured then in any order, go through a pool of that size. Closed forms (Erlang's) miss by half when holds are spread, and have no
 * answer at full load.
 *
 * @param instances the minutes of each instance: every one has a pool of its own
 */
export function sizing(instances: readonly (readonly PoolMinute[])[], options: SizingOptions): Sizing {
  const { sizes, target, patience, seed = 1 } = options;
  const replays = Array.from({ length: REPLAYS }, (_, run) => {
    // Seeds next to each other begin alike: they are spread.
    const random = randomFrom(Math.imul(seed + Math.imul(run + 1, 0x9e3779b1), 0x85ebca6b));
    return instances.map((minutes) => requestsOf(minutes, random)).filter(({ arrivals }) => arrivals.length > 0);
  });
  const offered = Math.max(0, ...instances.map(offeredLoad));
  const points: SizePoint[] = [];
  for (const size of sizes) {
    const last = points.at(-1);
    // Where nobody waits, nobody waits with more.
    const isIdle = last !== undefined && last.waiting === 0 && last.lost === 0 && last.size < size;
    points.push(isIdle ? { ...last, size } : pointOf(size, replays, patience));
  }
  return {
    points,
    enough: points.find(({ p95, lost }) => p95 <= target && lost < 0.001)?.size ?? null,
    idle: points.find(({ p99, waiting }) => p99 <= 0 && waiting < 0.001)?.size ?? null,
    least: Math.floor(offered) + 1,
  };
}

/** Connections that are in use on average when nobody waits: arrivals a second times how long each holds one. */
function offeredLoad(minutes: readonly PoolMinute[]): number {
  const seconds = 60 * minutes.length;
  const held = mergeDistributions(minutes.map(({ holds }) => holds));
  const mean = held.count === 0 ? 0 : (held.sum ?? 0) / held.count;
  return seconds === 0 ? 0 : (minutes.reduce((sum, { arrivals }) => sum + arrivals, 0) * mean) / seconds;
}

function pointOf(
  size: number,
  replays: readonly (readonly { arrivals: Float64Array; holds: Float64Array }[])[],
  patience: number,
): SizePoint {
  const runs = replays.map((instances) => {
    const results = instances.map(({ arrivals, holds }) => replay(arrivals, holds, size, patience));
    const waits = sortedTogether(results.map((it) => it.waits));
    const lost = results.reduce((sum, it) => sum + it.lost, 0);
    const at = (share: number) => waits[Math.min(waits.length - 1, Math.floor(share * waits.length))] ?? 0;
    return {
      p50: at(0.5),
      p95: at(0.95),
      p99: at(0.99),
      mean: waits.length === 0 ? 0 : waits.reduce((sum: number, it) => sum + it, 0) / waits.length,
      inUse: averaged(results, ({ inUse }) => inUse),
      waiting: averaged(results, ({ waiting }) => waiting),
      lost: lost + waits.length === 0 ? 0 : lost / (lost + waits.length),
    };
  });
  const p95s = runs.map(({ p95 }) => p95);
  return {
    size,
    p50: averaged(runs, (it) => it.p50),
    p95: averaged(runs, (it) => it.p95),
    p99: averaged(runs, (it) => it.p99),
    mean: averaged(runs, (it) => it.mean),
    range: [Math.min(...p95s), Math.max(...p95s)],
    inUse: averaged(runs, (it) => it.inUse),
    waiting: averaged(runs, (it) => it.waiting),
    lost: averaged(runs, (it) => it.lost),
  };
}

function sortedTogether(parts: readonly Float64Array[]): Float64Array {
  const all = new Float64Array(parts.reduce((sum, { length }) => sum + length, 0));
  let at = 0;
  for (const part of parts) {
    all.set(part, at);
    at += part.length;
  }
  return all.sort();
}

function averaged<T>(all: readonly T[], value: (it: T) => number): number {
  return all.length === 0 ? 0 : all.reduce((sum, it) => sum + value(it), 0) / all.length;
}

/**
 * Requests as the minutes of an instance say. Few minutes are gone through again until there are enough requests; of very many a stretch is
 * taken that begins anywhere.
 */
function requestsOf(minutes: readonly PoolMinute[], random: () => number): { arrivals: Float64Array; holds: Float64Array } {
  const total = minutes.reduce((sum, { arrivals }) => sum + arrivals, 0);
  if (total === 0) return { arrivals: new Float64Array(0), holds: new Float64Array(0) };
  const first = total > MOST ? Math.floor(random() * minutes.length) : 0;
  const holdsOf = minutes.map((_, at) => holdsAround(minutes, at));
  const arrivals: number[] = [];
  const holds: number[] = [];
  for (let step = 0; step % minutes.length !== 0 || arrivals.length < Math.min(FEWEST, MOST); step++) {
    if (arrivals.length >= MOST) break;
    const at = (first + step) % minutes.length;
    const count = Math.round(minutes[at].arrivals);
    const places = Float64Array.from({ length: count }, random).sort();
    const values = valuesLike(holdsOf[at], count, random);
    for (let index = 0; index < count; index++) {
      arrivals.push(60 * (step + places[index]));
      holds.push(values[index]);
    }
  }
  return { arrivals: Float64Array.from(arrivals), holds: Float64Array.from(holds) };
}

function holdsAround(minutes: readonly PoolMinute[], at: number): Distribution {
  let holds = minutes[at].holds;
  for (let reach = 1; holds.count < ENOUGH_HOLDS && reach < minutes.length; reach++) {
    const around = [minutes[at - reach], minutes[at + reach]].flatMap((it) => (it ? [it.holds] : []));
    holds = mergeDistributions([holds, ...around]);
  }
  return holds;
}

/** The same numbers for the same seed, 0 inclusive to 1 exclusive. */
function randomFrom(seed: number): () => number {
  const generator = xoroshiro128plus(seed);
  return () => uniformFloat64(generator);
}

/** The p95 of measured waits, seconds; null without any. */
export function measuredP95(waits: readonly Distribution[]): number | null {
  const all = mergeDistributions(waits);
  const value = quantileOf(all, 0.95);
  // Whoever did not wait falls into the first bucket, which begins at zero.
  return value !== null && value <= (all.buckets[0]?.high ?? 0) && all.buckets[0]?.low <= 0 ? 0 : value;
}
