import { z } from 'zod';
import { meanOf, quantileOf } from '../../core/pools/distribution.ts';
import { poolMinutes } from '../../core/pools/poolFigures.ts';
import { measuredP95, type PoolMinute, sizing } from '../../core/pools/sizing.ts';
import type { MeasuredMinute, StoredPool } from '../../core/pools/storedPool.ts';
import { whatMoved } from '../../core/pools/whatMoved.ts';
import { withinMinutes } from '../../core/pools/worstPart.ts';
import { changesBetween } from '../../store/measures/recentEvents.ts';
import { storedPools } from '../../store/pools/pools.ts';
import { comparisonParameters, describeWindow, windowAnswer, windowsOf } from '../comparison.ts';
import { aroundOf, nanosOf, stretchOf } from '../databases/loads.ts';
import { ApiError, endpoint } from '../endpoint.ts';
import { changeAbout, changesAbout } from '../services/changesAbout.ts';
import { describePart, figuresOf, figuresOfPart, poolFiguresAnswer, worstPartAnswer, worstPartOf } from './pools.ts';

export type PoolDetail = z.output<typeof poolDetail.answer>;

const LARGEST = 60;
/** Minutes before the worst part of a window, at least, in which something may have moved. */
const LEAST_AHEAD = 60;
/** Measured waits are shown of stretches of so many minutes. */
const MARK_MINUTES = 10;

const point = z.object({
  size: z.number(),
  p50: z.number(),
  p95: z.number().meta({ description: 'Seconds.' }),
  p99: z.number(),
  mean: z.number(),
  range: z.tuple([z.number(), z.number()]).meta({ description: 'The least and the greatest p95 of the replays.' }),
  inUse: z.number(),
  waiting: z.number(),
  lost: z.number().meta({ description: 'Share of requests that gave up.' }),
});

const curve = z.object({
  points: z.array(point),
  enough: z.number().nullable().meta({ description: 'The smallest size whose p95 wait is under the target.' }),
  idle: z.number().nullable().meta({ description: 'From this size on nobody waits.' }),
  least: z.number().meta({ description: 'With fewer, the queue grows without end.' }),
});

export const poolDetail = endpoint({
  path: '/api/pools/{service}/{pool}',
  least: 'reader',
  summary:
    'One pool of database connections: arrivals, hold times and waits by the minute, what moved first, and what would be waited for at other sizes by a replay of what was measured.',
  runs: 'analysis',
  query: z.strictObject({
    ...comparisonParameters,
    service: z.string(),
    pool: z.string(),
    target: z.coerce
      .number()
      .positive()
      .max(60_000)
      .default(200)
      .meta({ description: 'The p95 wait that is wanted, milliseconds.' }),
    patience: z.coerce.number().positive().max(600).default(45).meta({ description: 'Seconds after which a request gives up.' }),
  }),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    server: z.string(),
    worst: worstPartAnswer,
    lit: poolFiguresAnswer,
    before: poolFiguresAnswer,
    target: z.number().meta({ description: 'Seconds.' }),
    from: z.number().meta({ description: 'The stretch that is drawn, epoch milliseconds.' }),
    to: z.number(),
    instances: z.array(
      z.object({
        instance: z.string(),
        minutes: z.array(
          z.object({
            at: z.number(),
            size: z.number().nullable(),
            used: z.number().nullable(),
            pending: z.number().nullable(),
            arrivals: z.number(),
            holdMean: z.number().nullable(),
            holdP50: z.number().nullable(),
            holdP95: z.number().nullable(),
            waitP95: z.number().nullable(),
          }),
        ),
      }),
    ),
    moved: z.array(z.object({ what: z.enum(['arrivals', 'holds', 'size', 'full']), at: z.number(), of: z.string() })),
    sizing: z.object({ lit: curve, before: curve }),
    measured: z.array(z.number()).meta({ description: 'p95 waits of ten minutes each, seconds.' }),
    alone: z
      .array(z.object({ size: z.number(), before: z.number(), lit: z.number() }))
      .meta({ description: 'Predicted p95 wait with either size and either hold times.' }),
    changes: z.array(changeAbout),
  }),
  run: async ({ service, pool, target, patience, ...query }) => {
    const { lit, before } = await windowsOf(query);
    const around = aroundOf(stretchOf(lit), Date.now());
    const [shown, then, changes] = await Promise.all([
      storedPools(nanosOf(around.from), nanosOf(around.to), { service, name: pool }),
      storedPools(before.from, before.to, { service, name: pool }),
      changesBetween(nanosOf(around.from), nanosOf(around.to)),
    ]);
    if (shown.length + then.length === 0)
      throw new ApiError(404, `No measures of a pool "${pool.slice(0, 100)}" of ${service.slice(0, 100)} in these windows.`);
    const [first, last] = [Number(lit.from / 60_000_000_000n), Number(lit.to / 60_000_000_000n)];
    const window = shown.map((it) => withinMinutes(it, { from: first, to: last }));
    const worst = worstPartOf(window, lit);
    const now = worst ? window.map((it) => withinMinutes(it, worst)) : window;
    const [figures, former] = [worst ? figuresOfPart(now, worst) : figuresOf(now, lit), figuresOf(then, before)];
    // What moved is looked for in the part and in as much before it: over a whole day an hour is no new level.
    const near = worst && { from: worst.from - Math.max(LEAST_AHEAD, worst.to - worst.from), to: worst.to };
    const today = Math.round(figures.size ?? former.size ?? 10);
    const sizes = Array.from({ length: Math.min(LARGEST, Math.max(16, 2 * today, 2 * (former.size ?? 0))) }, (_, at) => at + 1);
    const options = { sizes, target: target / 1000, patience };
    const curves = { lit: sizing(busiest(now), options), before: sizing(busiest(then), options) };
    const server = [...shown, ...then].find((it) => it.server !== '')?.server ?? '';
    const at = (which: 'lit' | 'before', size: number) => curves[which].points.find((it) => it.size === size)?.p95 ?? 0;
    const compared = [...new Set([Math.round(former.size ?? today), today])].filter((size) => size <= sizes.length);
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      server,
      worst: describePart(worst),
      lit: figures,
      before: former,
      target: target / 1000,
      ...around,
      instances: shown
        .map(({ instance, minutes }) => ({ instance, minutes: minutes.map(describeMinute) }))
        .sort((a, b) => (a.instance < b.instance ? -1 : 1)),
      moved: whatMoved(near ? shown.map((it) => withinMinutes(it, near)) : shown, figures, former).map(({ minute, ...it }) => ({
        ...it,
        at: minute * 60_000,
      })),
      sizing: { lit: describeCurve(curves.lit), before: describeCurve(curves.before) },
      measured: marksOf(now),
      alone: compared.map((size) => ({ size, before: at('before', size), lit: at('lit', size) })),
      changes: changesAbout(changes, [service, server].filter(Boolean)),
    };
  },
});

/** Instances whose requests are replayed: those with the most of them. */
const MOST_REPLAYED = 12;

function busiest(pools: readonly { readonly minutes: readonly MeasuredMinute[] }[]): PoolMinute[][] {
  const requests = (minutes: readonly MeasuredMinute[]) => minutes.reduce((sum, { waits }) => sum + waits.count, 0);
  return [...pools]
    .sort((a, b) => requests(b.minutes) - requests(a.minutes))
    .slice(0, MOST_REPLAYED)
    .map(({ minutes }) => poolMinutes(minutes));
}

function describeCurve({ points, ...it }: ReturnType<typeof sizing>) {
  return { ...it, points: points.map(({ range, ...of }) => ({ ...of, range: [range[0], range[1]] as [number, number] })) };
}

function describeMinute(it: MeasuredMinute) {
  return {
    at: it.minute * 60_000,
    size: it.size,
    used: it.used,
    pending: it.pending,
    arrivals: it.waits.count / 60,
    holdMean: meanOf(it.holds),
    holdP50: quantileOf(it.holds, 0.5),
    holdP95: quantileOf(it.holds, 0.95),
    waitP95: it.waits.count === 0 ? null : measuredP95([it.waits]),
  };
}

function marksOf(pools: readonly StoredPool[]): number[] {
  const stretches = new Map<number, MeasuredMinute[]>();
  for (const { minutes } of pools)
    for (const minute of minutes) {
      const key = Math.floor(minute.minute / MARK_MINUTES);
      stretches.set(key, [...(stretches.get(key) ?? []), minute]);
    }
  return [...stretches.values()].flatMap((all) => measuredP95(all.map(({ waits }) => waits)) ?? []);
}
