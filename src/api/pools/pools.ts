import { z } from 'zod';
import { type PoolFigures, poolFigures } from '../../core/pools/poolFigures.ts';
import type { MeasuredMinute, StoredPool } from '../../core/pools/storedPool.ts';
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
      return {
        service,
        name,
        server: [...of(now), ...of(then)].find(({ server }) => server !== '')?.server ?? '',
        instances: of(now).length,
        lit: figuresOf(of(now), lit),
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

export function figuresOf(pools: readonly { readonly minutes: readonly MeasuredMinute[] }[], { from, to }: Window): PoolFigures {
  return poolFigures(
    pools.map(({ minutes }) => minutes),
    Number((to - from) / 60_000_000_000n),
  );
}
