import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { JourneyList } from '../../api/journeys/journeys.ts';
import type { Around } from '../../api/now/around.ts';
import type { CostAnswer } from '../../api/now/cost.ts';
import type { NowAnswer } from '../../api/now/now.ts';
import type { Reasons } from '../../api/now/reasons.ts';
import { comparisonQuery, type Scope, windowQuery, windowToNow } from '../../core/scope/scope.ts';
import { fetchJson, sendJson } from './fetchJson.ts';
import { type First, initially, refreshOf } from './traces.ts';

/** @param withServices whether services are shown, which are counted from the traces where the scope is narrowed */
export function useNow(scope: Scope, withServices: boolean, first: First<NowAnswer>) {
  const services = withServices ? 'counted' : 'tallied';
  return useQuery({
    queryKey: ['now', scope, services],
    queryFn: ({ signal }) => fetchJson<NowAnswer>('/api/now', { ...comparisonQuery(scope, Date.now()), services }, signal),
    ...initially(first, scope),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
  });
}

/** Why journeys are worse, of all that are: one question for all rows of a page. */
export function useReasons(scope: Scope, wanted: boolean) {
  return useQuery({
    queryKey: ['reasons', scope],
    queryFn: ({ signal }) => fetchJson<Reasons>('/api/now/reasons', comparisonQuery(scope, Date.now()), signal),
    enabled: wanted,
    staleTime: 60_000,
  });
}

/** What an amount came to against what was to be expected. @param key of the attribute; empty for none */
export function useCost(scope: Scope, key: string) {
  return useQuery({
    queryKey: ['cost', scope, key],
    queryFn: ({ signal }) => fetchJson<CostAnswer>('/api/now/cost', { ...comparisonQuery(scope, Date.now()), key }, signal),
    enabled: key !== '',
    staleTime: 60_000,
  });
}

export function useAround(scope: Scope, first: First<Around>) {
  return useQuery({
    queryKey: ['around', scope.lit],
    queryFn: ({ signal }) => fetchJson<Around>('/api/now/around', windowQuery(windowToNow(scope.lit, Date.now())), signal),
    ...initially(first, scope),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
  });
}

export function useJourneys() {
  return useQuery({
    queryKey: ['journeys'],
    queryFn: ({ signal }) => fetchJson<JourneyList>('/api/journeys', {}, signal),
    staleTime: 60_000,
  });
}

export function useSetJourneys() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (journeys: JourneyList['journeys']) => sendJson<JourneyList>('PUT', '/api/journeys', { journeys }),
    onSuccess: (list) => {
      client.setQueryData(['journeys'], list);
      for (const key of ['now', 'around']) void client.invalidateQueries({ queryKey: [key] });
    },
  });
}
