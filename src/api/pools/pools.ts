import { z } from 'zod';
import { type PoolFigures, poolFigures } from '../../core/pools/poolFigures.ts';
import type { MeasuredMinute, StoredPool } from '../../core/pools/storedPool.ts';
import { type Minutes, withinMinutes, worstPart } from '../../core/pools/worstPart.ts';
import { storedPools } from '../../store/pools/pools.ts';
import { comparisonParameters, describeWindow, type Window, windowAnswer, windowsOf } from '../comparison.ts';
import { endpoint } from '../endpoint.ts';

export type PoolList = z.output<typeof poolList.answer>;

export const poolFiguresAnswer = z.object({
  size: z.number().nullable().meta({ description: 'Connections of one instance.' }),
  used: z.number().nullable(),
  pending: z.number().nullable(),
  arrivals: z.number().meta({ description: 'A second, all instances together.' }),
  holdMean: z.number().nullable().meta({ description: 'Seconds.' }),
  holdP50: z.number().nullable(),
  holdP95: z.number().nullable(),
  waitMean: z.number().nullable(),
  waitP95: z.number().nullable(),
  timeouts: z.number(),
  requests: z.number(),
});

export const worstPartAnswer = z.object({ from: z.number(), to: z.number() }).nullable().meta({
  description:
    'The part of the lit window in which requests waited most, epoch milliseconds, where that is half of it or less: the lit figures are of that part. Null when nobody waited, or all through.',
});

export const poolList = endpoint({
  path: '/api/pools',
  least: 'reader',
  summary:
    'All pools of database connections: size, in use, waits and hold times, lit against before, those with the longest waits first.',
  runs: 'analysis',
  query: z.strictObject(comparisonParameters),
  answer: z.object({
    litWindow: windowAnswer,
    beforeWindow: windowAnswer,
    pools: z.array(
      z.object({
        service: z.string(),
        name: z.string(),
        server: z.string(),
        instances: z.number(),
        worst: worstPartAnswer,
        lit: poolFiguresAnswer,
        before: poolFiguresAnswer,
      }),
    ),
  }),
  run: async (query) => {
    const { lit, before } = await windowsOf(query);
    const [now, then] = await Promise.all([storedPools(lit.from, lit.to), storedPools(before.from, before.to)]);
    const keys = new Map([...now, ...then].map(({ service, name }) => [JSON.stringify([service, name]), { service, name }]));
    const pools = [...keys.values()].map(({ service, name }) => {
      const of = (all: readonly StoredPool[]) => all.filter((it) => it.service === service && it.name === name);
      const worst = worstPartOf(of(now), lit);
      return {
        service,
        name,
        server: [...of(now), ...of(then)].find(({ server }) => server !== '')?.server ?? '',
        instances: of(now).length,
        worst: describePart(worst),
        lit: worst ? figuresOfPart(of(now), worst) : figuresOf(of(now), lit),
        before: figuresOf(of(then), before),
      };
    });
    return {
      litWindow: describeWindow(lit),
      beforeWindow: describeWindow(before),
      pools: pools.sort(
        (a, b) =>
          (b.lit.waitP95 ?? -1) - (a.lit.waitP95 ?? -1) ||
          (b.lit.used ?? 0) / (b.lit.size || 1) - (a.lit.used ?? 0) / (a.lit.size || 1) ||
          (a.name < b.name ? -1 : 1),
      ),
    };
  },
});

/** The part of a window in which requests of a pool waited most, see core/pools/worstPart.ts. */
export function worstPartOf(pools: readonly { readonly minutes: readonly MeasuredMinute[] }[], { from, to }: Window) {
  return worstPart(
    pools.map(({ minutes }) => minutes),
    { from: Number(from / 60_000_000_000n), to: Number(to / 60_000_000_000n) },
  );
}

export const describePart = (part: Minutes | undefined) => (part ? { from: part.from * 60_000, to: part.to * 60_000 } : null);

export function figuresOfPart(pools: readonly StoredPool[], part: Minutes): PoolFigures {
  return poolFigures(
    pools.map((it) => withinMinutes(it, part).minutes),
    part.to - part.from,
  );
}

export function figuresOf(pools: readonly { readonly minutes: readonly MeasuredMinute[] }[], { from, to }: Window): PoolFigures {
  return poolFigures(
    pools.map(({ minutes }) => minutes),
    Number((to - from) / 60_000_000_000n),
  );
}
