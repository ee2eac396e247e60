import type { TimeKind } from '../../trace/time/timeKind.ts';
import type { LookUpCount } from './lookUpCounts.ts';
import type { CallRates } from './moreCalls.ts';
import type { PathPart } from './pathParts.ts';

/** A cache that misses more than before, and what that costs. */
export interface Misses {
  /** The service that asks. */
  readonly asker: string;
  /** The share of what it looks up that was not there, 0 to 1. */
  readonly before: number;
  readonly lit: number;
  readonly extraNs: number;
}

/** Nanoseconds of the parts of the paths of some requests. */
export interface PartTimes {
  readonly parts: Iterable<readonly [PathPart, { readonly ns: number }]>;
  /** For how many requests each of them stands. */
  readonly weight: number;
}

/** Extra time that is a cache's, not that of the node that spends it. */
export interface MissedTime extends Omit<Misses, 'extraNs'> {
  readonly cache: string;
  readonly node: string;
  readonly above: readonly string[];
  readonly kind: TimeKind;
  readonly ns: number;
}

/** Fewer look-ups say nothing of the share of misses. */
const ENOUGH = 20;
/** Misses more than this are no matter: times as many, and of all look-ups. */
const MORE = 1.25;
const LEAST_MORE = 0.1;
/** So many standard deviations lie between the shares: among many caches none is blamed by chance. */
const FAR = 4;
/** Look-ups that found something say how long the rest takes; where fewer than this did, those of before do. */
const ENOUGH_FOUND = 10;

/**
 * Extra time of what is done when a cache does not have what it is asked for, where it misses more than before. It is worked out what the lit
 * requests would have taken with as many misses as before (a standardization of the lit times to the shares of before; Kitagawa, 1955). What they
 * took beyond that is the cache's. What each miss costs more by itself stays with the node that spends it.
 *
 * @param lit parts of requests of one entry @param before the same, of others that stand for as many
 */
export function missedTime(lit: PartTimes, before: PartTimes, { lookUps }: Pick<CallRates, 'lookUps'>): MissedTime[] {
  const timesBefore = timesAfter(before);
  return [...timesAfter(lit)].flatMap(([key, now]): MissedTime[] => {
    const { part, lookUp } = now;
    const counts = lookUps(lookUp.asker, lookUp.cache);
    if (!counts || part.node === lookUp.cache || !isMore(counts.lit, counts.before)) return [];
    const then = timesBefore.get(key) ?? { missed: 0, found: 0 };
    const [litShare, beforeShare] = [missing(counts.lit), missing(counts.before)];
    const afterFind =
      counts.lit.found >= ENOUGH_FOUND ? (now.found * (1 - beforeShare)) / (1 - litShare) : Math.max(now.found, then.found);
    const asBefore = (now.missed * beforeShare) / litShare + afterFind;
    // No more than it grew by in all.
    const grown = now.missed + now.found - then.missed - then.found;
    const ns = Math.min(now.missed + now.found - asBefore, grown);
    if (ns <= 0) return [];
    const { node, above, kind } = part;
    return [{ cache: lookUp.cache, asker: lookUp.asker, before: beforeShare, lit: litShare, node, above, kind, ns }];
  });
}

/** Time that is put down to one thing and comes after look-ups of one service in one cache. */
interface TimeAfter {
  readonly part: PathPart;
  readonly lookUp: NonNullable<PathPart['lookUp']>;
  missed: number;
  found: number;
}

function timesAfter({ parts, weight }: PartTimes): Map<string, TimeAfter> {
  const times = new Map<string, TimeAfter>();
  for (const [part, { ns }] of parts) {
    const { lookUp, node, kind, operation, above } = part;
    if (!lookUp) continue;
    const key = JSON.stringify([lookUp.cache, lookUp.asker, node, kind, operation, above]);
    const time = times.get(key) ?? { part, lookUp, missed: 0, found: 0 };
    times.set(key, time);
    time[lookUp.found ? 'found' : 'missed'] += weight * ns;
  }
  return times;
}

const all = ({ missed, found }: LookUpCount) => missed + found;
const missing = (it: LookUpCount) => it.missed / all(it);

function isMore(now: LookUpCount, then: LookUpCount): boolean {
  if (all(now) < ENOUGH || all(then) < ENOUGH) return false;
  const [lit, before] = [missing(now), missing(then)];
  if (lit < MORE * before || lit - before < LEAST_MORE) return false;
  const both = (now.missed + then.missed) / (all(now) + all(then));
  return lit - before >= FAR * Math.sqrt(both * (1 - both) * (1 / all(now) + 1 / all(then)));
}
