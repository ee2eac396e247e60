import { z } from 'zod';
import { quantiles } from '../../core/measures/sketch.ts';
import { firstOwn, type Look, streakOf } from '../../core/profile/looks.ts';
import { ownFrames } from '../../core/profile/ownRules.ts';
import type { Frame } from '../../core/profile/stackSample.ts';
import { LOCKS } from '../../core/trace/time/databaseWaits.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { readOwnRules } from '../../store/profiles/ownRules.ts';
import { endedBefore, type RunningRow, runningAt, runningOverTime } from '../../store/profiles/running.ts';
import { type SessionBehind, sessionsBehind } from '../../store/profiles/sessionsBehind.ts';
import { operationFigures } from '../../store/rollups/operationFigures.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';

export type CodeRunning = z.output<typeof codeRunning.answer>;

const MOST_CHANGES = 12;
/** Steps of the picture over time, about. */
const STEPS = 180;
const REPORT_MS = 10_000;

export const frameAnswer = z.object({ name: z.string(), file: z.string(), line: z.int(), own: z.boolean() });

export const requestAnswer = z.object({
  traceId: z.string(),
  service: z.string(),
  instance: z.string(),
  operation: z.string(),
  thread: z.string(),
  step: z.string(),
  wait: z.string(),
  statement: z.string(),
  ageMs: z.number().meta({ description: 'At the moment of the answer, as far as it runs on since it was seen.' }),
  seenAt: z.number(),
  since: z
    .number()
    .nullable()
    .meta({ description: 'Since when it stands on this line, epoch milliseconds, as far as looks tell.' }),
  looks: z.int().meta({ description: 'Looks in a row that saw it there.' }),
  of: z.int().meta({ description: 'All looks at it.' }),
});

export const codeRunning = endpoint({
  path: '/api/code/running',
  least: 'reader',
  summary:
    'Requests that run at the end of a window, by the first line of own code that they stand on, and how many ran over time.',
  runs: 'analysis',
  query: z.strictObject(comparisonParameters),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    at: z.number().meta({ description: 'The moment that is meant, epoch milliseconds.' }),
    running: z.int(),
    places: z.array(
      z.object({
        service: z.string(),
        frame: frameAnswer.nullable().meta({ description: 'The first line of own code; null where no stack was sent.' }),
        step: z.string(),
        wait: z.string(),
        statement: z.string(),
        usual: z
          .object({ p50Ms: z.number().nullable(), p95Ms: z.number().nullable() })
          .meta({ description: 'How long its operations take in the window before.' }),
        requests: z.array(requestAnswer),
      }),
    ),
    overTime: z.object({
      stepMs: z.number(),
      points: z.array(z.object({ at: z.number(), wait: z.string(), count: z.number() })),
    }),
    usualRunning: z.tuple([z.number(), z.number()]).nullable().meta({
      description: 'The 5 and 95 % quantile of how many ran in the window before; null when nothing was reported then.',
    }),
    ended: z
      .array(
        z.object({
          at: z.number(),
          traceId: z.string(),
          service: z.string(),
          operation: z.string(),
          ageMs: z.number(),
          failed: z.boolean().nullable(),
          durationMs: z.number().nullable(),
        }),
      )
      .meta({ description: 'Requests that ran a short while ago and have ended, the last first.' }),
    changes: z.array(z.object({ at: z.number(), service: z.string(), title: z.string(), phase: z.string() })),
  }),
  run: async (query) => {
    const { lit, before } = await windowsOf(query);
    const now = BigInt(Date.now()) * 1_000_000n;
    const moment = lit.to < now ? lit.to : now;
    const stepMs = Math.max(REPORT_MS, Math.ceil(Number((lit.to - lit.from) / 1_000_000n) / STEPS / REPORT_MS) * REPORT_MS);
    const [{ rows, history }, points, pointsBefore, usual, changes, rules] = await Promise.all([
      runningAt(moment),
      runningOverTime(lit.from, moment, stepMs),
      runningOverTime(before.from, before.to, 60_000),
      operationFigures(before.from, before.to),
      changesBetween(lit.from, lit.to),
      readOwnRules(),
    ]);
    const isOwn = ownFrames(rules);
    const at = Number(moment / 1_000_000n);
    const waiting = new Set(rows.filter(({ wait }) => wait === 'database').map(({ traceId }) => traceId));
    const [behind, ended] = await Promise.all([
      sessionsBehind(waiting, moment),
      endedBefore(moment, new Set(rows.map(({ traceId }) => traceId))),
    ]);
    const standing = innermost(rows).map((row) => ({ ...row, wait: waitOf(row, behind.get(row.traceId)) }));
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      at,
      running: standing.length,
      places: placesOf(standing, history, isOwn, at).map((place) => ({
        ...place,
        usual: usualOf(usual, place.service, new Set(place.requests.map(({ operation }) => operation))),
      })),
      overTime: { stepMs, points },
      ended,
      usualRunning: rangeOf(pointsBefore, Math.round(Number((before.to - before.from) / 60_000_000_000n))),
      changes: changes.slice(0, MOST_CHANGES).map(({ at: time, service, title, phase }) => ({ at: time, service, title, phase })),
    };
  },
});

/** What a request waits for: for a lock where a sampler saw its session wait for one. */
export function waitOf({ wait }: Pick<RunningRow, 'wait'>, session: SessionBehind | undefined): string {
  if (wait !== 'database' || !session) return wait;
  if (LOCKS.has(session.waitClass)) return 'lock';
  return session.waitClass === 'IO' ? 'io' : wait;
}

/** Of a request that several services report, where it stands: in the one that began last. */
function innermost(rows: readonly RunningRow[]): RunningRow[] {
  const found = new Map<string, RunningRow>();
  for (const row of rows) {
    const known = found.get(row.traceId);
    if (!known || row.ageMs < known.ageMs) found.set(row.traceId, row);
  }
  return [...found.values()];
}

export function lookOf({ at, ageMs, frames, wait }: RunningRow): Look {
  return { at, ageMs, frames, wait };
}

function placesOf(rows: readonly RunningRow[], history: readonly RunningRow[], isOwn: (frame: Frame) => boolean, at: number) {
  const looks = new Map<string, RunningRow[]>();
  for (const row of history) {
    const key = `${row.traceId} ${row.service} ${row.instance}`;
    const known = looks.get(key);
    if (known) known.push(row);
    else looks.set(key, [row]);
  }
  const places = new Map<string, ReturnType<typeof placeOf> & { requests: z.output<typeof requestAnswer>[] }>();
  for (const row of rows) {
    const frame = firstOwn(row.frames, isOwn);
    const key = `${row.service}\0${frame ? `${frame.name}\0${frame.line}` : row.step}\0${row.wait}`;
    const place = places.get(key) ?? { ...placeOf(row, frame), requests: [] };
    places.set(key, place);
    const seen = looks.get(`${row.traceId} ${row.service} ${row.instance}`) ?? [];
    const streak = streakOf(seen.map(lookOf), isOwn);
    place.requests.push({
      traceId: row.traceId,
      service: row.service,
      instance: row.instance,
      operation: row.operation,
      thread: row.thread,
      step: row.step,
      wait: row.wait,
      statement: row.statement,
      ageMs: row.ageMs + Math.max(0, at - row.at),
      seenAt: row.at,
      since: streak?.since ?? null,
      looks: streak?.looks ?? 0,
      of: streak?.of ?? seen.length,
    });
  }
  return [...places.values()]
    .map((place) => ({ ...place, requests: place.requests.sort((a, b) => b.ageMs - a.ageMs) }))
    .sort((a, b) => weight(b.requests) - weight(a.requests));
}

/** What hangs longest with most is worst. */
function weight(requests: readonly { ageMs: number }[]): number {
  return requests.reduce((sum, { ageMs }) => sum + ageMs, 0);
}

function placeOf({ service, step, wait, statement }: RunningRow, frame: Frame | undefined) {
  return { service, frame: frame ? { ...frame, own: true } : null, step, wait, statement };
}

function usualOf(figures: Awaited<ReturnType<typeof operationFigures>>, service: string, operations: ReadonlySet<string>) {
  const own = figures.filter((it) => it.service === service && operations.has(it.name));
  const most = own.sort((a, b) => b.calls - a.calls)[0];
  const [p50 = null, p95 = null] = most ? quantiles(most.sketch, [0.5, 0.95]) : [];
  return { p50Ms: p50 === null ? null : p50 / 1e6, p95Ms: p95 === null ? null : p95 / 1e6 };
}

/** In a minute without a report nothing ran for long, as long as there were reports at all. */
function rangeOf(points: readonly { at: number; count: number }[], minutes: number): [number, number] | null {
  const sums = new Map<number, number>();
  for (const { at, count } of points) sums.set(at, (sums.get(at) ?? 0) + count);
  if (sums.size === 0 || minutes < 5) return null;
  const quiet = Array.from({ length: Math.max(0, minutes - sums.size) }, () => 0);
  const sorted = [...quiet, ...sums.values()].sort((a, b) => a - b);
  return [sorted[Math.floor(0.05 * sorted.length)], sorted[Math.ceil(0.95 * sorted.length) - 1]];
}
