import { z } from 'zod';
import { type LoadSeries, loadOf, loadOfSeries } from '../../core/database/load/load.ts';
import { loadBegin } from '../../core/database/load/loadBegin.ts';
import { loadBurst } from '../../core/database/load/loadBurst.ts';
import { loadMove } from '../../core/database/load/loadMove.ts';
import { type LoadFilter, LoadSums } from '../../core/database/load/loadSums.ts';
import {
  eachTotal,
  isLong,
  type LoadWanted,
  type ServerHour,
  type ServerRows,
  type SessionLoad,
  sessionLoad,
} from '../../store/databases/sessionLoad.ts';
import type { Window } from '../comparison.ts';

/*
 * What all questions about the load of database servers share: the stretches that are read, and how they are answered.
 */

export const loadMoves = z.enum(['up', 'down', 'flat', 'unknown']);

export const loadAnswer = z
  .object({
    value: z.number().meta({ description: 'Average active sessions.' }),
    error: z.number().meta({ description: '95 times in 100 the true value is no further away.' }),
    byClass: z.array(z.number()).meta({ description: 'By wait class, in the order of `classes`.' }),
    samples: z.number(),
  })
  .nullable()
  .meta({ description: 'Null when nothing was sampled.' });

export const worstAnswer = z.object({ from: z.number(), to: z.number(), value: z.number() }).nullable().meta({
  description:
    'The part of the window in which the load was higher than in any minute of before, epoch milliseconds, with its average active sessions; null when it is as high until the end, or never was.',
});

export const tideAnswer = z.object({
  from: z.number().meta({ description: 'Epoch milliseconds of the first step.' }),
  stepMs: z.number(),
  samples: z.array(z.number()).meta({ description: 'Moments sampled in each step; 0 where the sampler was away.' }),
  loads: z.array(z.array(z.number())).meta({ description: 'Average active sessions by wait class, for each step.' }),
});

/** Steps of a tide: one to five pixels wide. */
const STEPS = 200;
const SECOND_MS = 1000;
/** What lies around the lit window is shown with it: before, and after. */
const AHEAD = 0.5;
const BEHIND = 0.15;

export interface Stretch {
  /** Epoch milliseconds. */
  readonly from: number;
  readonly to: number;
}

export function stretchOf({ from, to }: Window): Stretch {
  return { from: Number(from / 1_000_000n), to: Number(to / 1_000_000n) };
}

/** Epoch nanoseconds. */
export function nanosOf(ms: number): bigint {
  return BigInt(Math.round(ms)) * 1_000_000n;
}

/** The lit window with what is around it. */
export function aroundOf(lit: Stretch, now: number): Stretch {
  const span = lit.to - lit.from;
  return { from: lit.from - AHEAD * span, to: Math.max(lit.to, Math.min(now, lit.to + BEHIND * span)) };
}

/** A step that divides a stretch into no more than two hundred, in whole seconds, from two on: samples are a second apart. */
export function stepFor({ from, to }: Stretch): number {
  return Math.max(2, Math.ceil((to - from) / STEPS / SECOND_MS)) * SECOND_MS;
}

const MINUTE_MS = 60_000;
const HOUR_MS = 60 * MINUTE_MS;

/** The load around a lit window, cut where the window begins and ends. */
export function loadAround(around: Stretch, lit: Stretch, wanted: LoadWanted): Promise<SessionLoad> {
  return sessionLoad([around.from, lit.from, lit.to, around.to], wanted);
}

/** Whether nothing is known of a load. */
export function isEmptyLoad({ rows, hours }: SessionLoad): boolean {
  return rows.length === 0 && hours.length === 0;
}

/** Blocked moments are looked at one by one up to so many; of longer windows each nth. */
const MOST_MOMENTS = 20_000;

/** Which of the blocked moments of a stretch are looked at: each, or each nth. Where hours were added up, few are left. */
export function everyMoment({ isByHour }: SessionLoad, { from, to }: Stretch): number {
  if (isByHour) return 1;
  return Math.max(1, Math.ceil((to - from) / SECOND_MS / MOST_MOMENTS));
}

/** The sums of a server over a stretch, in steps of that many milliseconds or more: a reference may be very long. */
export function sumsOf(all: SessionLoad, server: string, of: Stretch, stepMs: number, filters: readonly LoadFilter[] = []) {
  // What was added up by the hour has the minutes of all of the load, and of a part of it the hours.
  const least = !all.isByHour ? 0 : filters.length > 0 ? HOUR_MS : MINUTE_MS;
  const sums = new LoadSums(of.from, of.to, Math.max(stepMs, stepFor(of), least), filters);
  const add = (it: ServerRows | ServerHour) => addTo(sums, of, it);
  eachPart(all, server, add, add);
  return sums;
}

/** The sums of all servers over stretches, by name, read once. @param bounds where those begin and end, ascending */
export async function sumsOfAll<Name extends string>(
  bounds: readonly number[],
  stretches: Readonly<Record<Name, Stretch>>,
  stepMs: number,
): Promise<Map<string, Record<Name, LoadSums>>> {
  const servers = new Map<string, Record<Name, LoadSums>>();
  const least = isLong(bounds) ? MINUTE_MS : 0;
  for await (const it of eachTotal(bounds)) {
    const sums = servers.get(it.server) ?? mapped(stretches, (of) => emptySums(of, stepMs, least));
    servers.set(it.server, sums);
    for (const name of Object.keys(stretches) as Name[]) addTo(sums[name], stretches[name], it);
  }
  return servers;
}

/** Sums without anything yet, in steps of so many milliseconds or more. */
export function emptySums(of: Stretch, stepMs: number, least = 0): LoadSums {
  return new LoadSums(of.from, of.to, Math.max(stepMs, stepFor(of), least));
}

function addTo(sums: LoadSums, of: Stretch, it: ServerRows | ServerHour): void {
  if ('rows' in it) sums.add(it.rows, it.slotMs);
  else if (it.hour.hourMs >= of.from && it.hour.hourMs < of.to) sums.addHour(it.hour);
}

function mapped<Name extends string, From, To>(of: Readonly<Record<Name, From>>, make: (it: From) => To): Record<Name, To> {
  return Object.fromEntries(Object.entries<From>(of).map(([name, it]) => [name, make(it)])) as Record<Name, To>;
}

/** Visits what is known of a server in order of time: samples, and hours that were added up. */
export function eachPart(
  { rows, hours }: SessionLoad,
  server: string,
  visitRows: (it: ServerRows) => void,
  visitHour: (it: ServerHour) => void,
): void {
  let next = 0;
  for (const it of rows) {
    if (it.server !== server) continue;
    for (; next < hours.length && hours[next].hour.hourMs < it.slotMs; next++)
      if (hours[next].server === server) visitHour(hours[next]);
    visitRows(it);
  }
  for (; next < hours.length; next++) if (hours[next].server === server) visitHour(hours[next]);
}

export function describeTide({ from, stepMs, samples, counts }: LoadSeries): z.output<typeof tideAnswer> {
  return { from, stepMs, samples: [...samples], loads: counts.map((it, at) => [...(loadOf(it, samples[at])?.byClass ?? [])]) };
}

/** Both windows of a load, whether it moved, and since when. @param around the load of the lit window with what is around it */
export function compareLoads(lit: LoadSums, before: LoadSums, around: LoadSums) {
  const move = loadMove(lit.series, before.series);
  const [now, then] = [loadOfSeries(lit.series), loadOfSeries(before.series)];
  const burst = move === 'flat' || move === 'up' ? loadBurst(lit.series, before.series) : undefined;
  // Where the whole window is higher and stays so, its change tells more than its worst part.
  const isPart = burst !== undefined && (burst.isOver || move === 'flat');
  const begin = move === 'up' || move === 'down' ? loadBegin(around.series) : undefined;
  const rises = begin && (move === 'up' ? begin.after > begin.before : begin.after < begin.before);
  return {
    lit: now ? { ...now, byClass: [...now.byClass] } : null,
    before: then ? { ...then, byClass: [...then.byClass] } : null,
    move: burst ? ('up' as const) : move,
    since: isPart ? burst.from : rises ? begin.at : null,
    worst: isPart && burst.isOver ? { from: burst.from, to: burst.to, value: burst.value } : null,
  };
}

/** How many of the moments that a stretch has were sampled. */
export function coverageOf({ sampledMs }: LoadSums, { from, to }: Stretch, now: number): number {
  const span = Math.min(to, now) - from;
  return span <= 0 ? 1 : Math.min(1, sampledMs / span);
}
