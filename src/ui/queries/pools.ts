import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { PoolDetail } from '../../api/pools/pool.ts';
import type { PoolList } from '../../api/pools/pools.ts';
import { comparisonQuery, type Scope } from '../../core/scope/scope.ts';
import { fetchJson } from './fetchJson.ts';
import { refreshOf } from './traces.ts';

/** All pools of database connections. Chips narrow requests; pools serve all. */
export function usePools(scope: Scope) {
  return useQuery({
    queryKey: ['pools', scope],
    queryFn: ({ signal }) => fetchJson<PoolList>('/api/pools', comparisonQuery({ ...scope, chips: [] }, Date.now()), signal),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
    staleTime: 15_000,
  });
}

/** One pool. @param target the p95 wait that is wanted, milliseconds */
export function usePool(scope: Scope, pool: { readonly service: string; readonly name: string } | undefined, target: number) {
  return useQuery({
    queryKey: ['pool', pool, scope, target],
    queryFn: ({ signal }) =>
      fetchJson<PoolDetail>(
        `/api/pools/${encodeURIComponent(pool!.service)}/${encodeURIComponent(pool!.name)}`,
        { ...comparisonQuery({ ...scope, chips: [] }, Date.now()), target: String(target) },
        signal,
      ),
    placeholderData: (former, query) => {
      const earlier = query?.queryKey[1] as typeof pool;
      return earlier?.service === pool?.service && earlier?.name === pool?.name ? former : undefined;
    },
    refetchInterval: refreshOf(scope),
    staleTime: 15_000,
    enabled: pool !== undefined,
  });
}
