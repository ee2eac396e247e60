import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { ContrastAnswer } from '../../api/contrast/contrast.ts';
import type { ContrastMoved } from '../../api/contrast/moved.ts';
import type { ContrastWhere } from '../../api/contrast/where.ts';
import { comparisonQuery, type Scope } from '../../core/scope/scope.ts';
import { fetchJson } from './fetchJson.ts';

type Options = Readonly<Record<string, string>>;

/** What sets two populations apart: first from a sample, then, where that was not all, from all requests. */
export function useContrast(scope: Scope, options: Options, enabled = true) {
  const ask = (quick: 'yes' | 'no') => ({
    queryKey: ['contrast', scope, options, quick],
    queryFn: ({ signal }: { signal: AbortSignal }) =>
      fetchJson<ContrastAnswer>('/api/contrast', { ...comparisonQuery(scope, Date.now()), ...options, quick }, signal),
    staleTime: 60_000,
  });
  const first = useQuery({ ...ask('yes'), enabled, placeholderData: keepPreviousData });
  const isPart = first.data !== undefined && !first.isPlaceholderData && first.data.read < first.data.of;
  const whole = useQuery({ ...ask('no'), enabled: enabled && isPart });
  return {
    data: isPart && whole.data ? whole.data : first.data,
    /** Whether what is shown is of other requests than are asked for. */
    isStale: first.isPlaceholderData,
    isRefining: isPart && !whole.data,
    isFetching: first.isFetching || whole.isFetching,
    error: first.error ?? whole.error,
    refetch: first.refetch,
  };
}

/** Where in the system the two differ. */
export function useContrastWhere(scope: Scope, options: Options, enabled: boolean) {
  return useQuery({
    queryKey: ['contrast where', scope, options],
    queryFn: ({ signal }) =>
      fetchJson<ContrastWhere>('/api/contrast/where', { ...comparisonQuery(scope, Date.now()), ...options }, signal),
    enabled,
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });
}

/** What else moved around some services and what they call. */
export function useContrastMoved(scope: Scope, of: readonly string[]) {
  return useQuery({
    queryKey: ['contrast moved', scope, of],
    queryFn: ({ signal }) =>
      fetchJson<ContrastMoved>('/api/contrast/moved', { ...comparisonQuery(scope, Date.now()), of: of.join(',') }, signal),
    enabled: of.length > 0,
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });
}
