import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { FailureList, Occurrences } from '../../api/failures/failures.ts';
import { comparisonQuery, type Scope } from '../../core/scope/scope.ts';
import { fetchJson } from './fetchJson.ts';
import { type First, initially, refreshOf } from './traces.ts';

export function useFailures(scope: Scope, text: string, first: First<FailureList>) {
  return useQuery({
    queryKey: ['failures', scope, text],
    queryFn: ({ signal }) =>
      fetchJson<FailureList>('/api/failures', { ...comparisonQuery(scope, Date.now()), ...(text ? { text } : {}) }, signal),
    ...initially(first, scope),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
  });
}

export function useOccurrences(scope: Scope, text: string, id: string | undefined) {
  return useQuery({
    queryKey: ['occurrences', scope, text, id],
    queryFn: ({ signal }) =>
      fetchJson<Occurrences>(`/api/failures/${id}`, { ...comparisonQuery(scope, Date.now()), ...(text ? { text } : {}) }, signal),
    enabled: id !== undefined,
    staleTime: 60_000,
  });
}
