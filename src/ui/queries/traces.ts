import { keepPreviousData, useInfiniteQuery, useQuery } from '@tanstack/react-query';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { LikeTraces } from '../../api/traces/like.ts';
import type { TraceListPage } from '../../api/traces/list.ts';
import type { TraceOverview } from '../../api/traces/overview.ts';
import type { SpanDetails } from '../../api/traces/span.ts';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import { chipQuery, type Scope, scopeQuery, windowAt } from '../../core/scope/scope.ts';
import { fetchJson } from './fetchJson.ts';

export type TraceOrder = '-duration' | '-start';

/** How often what follows the clock is asked for again. */
const REFRESH_MS = 15_000;
export const refreshOf = (scope: Scope) => (scope.lit.type === 'last' ? REFRESH_MS : false);

/** What the server asked for the first paint: used for the same question, once. */
export interface First<T> {
  readonly data: T | undefined;
  readonly scope: Scope;
}

export function initially<T>(first: First<T>, scope: Scope): { initialData?: T } {
  return first.data !== undefined && first.scope === scope ? { initialData: first.data } : {};
}

const PAGE = 100;

/** The list of traces, a page at a time. */
export function useTraceList(scope: Scope, sort: TraceOrder, first: First<TraceListPage>) {
  const start = initially(first, scope).initialData;
  return useInfiniteQuery({
    queryKey: ['traces', scope, sort],
    queryFn: ({ pageParam, signal }) =>
      fetchJson<TraceListPage>(
        '/api/traces',
        { ...scopeQuery(scope, Date.now()), sort, limit: String(PAGE), ...(pageParam ? { cursor: pageParam } : {}) },
        signal,
      ),
    initialPageParam: '',
    getNextPageParam: (page) => page.nextCursor,
    ...(start ? { initialData: { pages: [start], pageParams: [''] } } : {}),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
  });
}

export function useTraceOverview(scope: Scope, first: First<TraceOverview>) {
  return useQuery({
    queryKey: ['overview', scope],
    queryFn: ({ signal }) => fetchJson<TraceOverview>('/api/traces/overview', scopeQuery(scope, Date.now()), signal),
    ...initially(first, scope),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
  });
}

/** Requests over all the kept time, narrowed by the chips. */
export function useRequestSeries(scope: Scope, first: First<RequestSeries>) {
  return useQuery({
    queryKey: ['series', scope.chips],
    queryFn: ({ signal }) => fetchJson<RequestSeries>('/api/requests/series', chipQuery(scope.chips), signal),
    ...initially(first, scope),
    placeholderData: keepPreviousData,
    refetchInterval: REFRESH_MS,
  });
}

export function useTimeline(traceId: string, first: TraceTimeline | undefined) {
  return useQuery({
    queryKey: ['timeline', traceId],
    queryFn: ({ signal }) => fetchJson<TraceTimeline>(`/api/traces/${traceId}/timeline`, {}, signal),
    ...(first ? { initialData: first } : {}),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** Where a trace stands among others of its entry in the lit window. */
export function useLikeTraces(traceId: string, { lit }: Scope) {
  return useQuery({
    queryKey: ['like', traceId, lit],
    queryFn: ({ signal }) => {
      const { from, to } = windowAt(lit, Date.now());
      const window = { from: new Date(from).toISOString(), to: new Date(to).toISOString() };
      return fetchJson<LikeTraces>(`/api/traces/${traceId}/like`, window, signal);
    },
    placeholderData: keepPreviousData,
  });
}

export function useSpanDetails(traceId: string, spanId: string | undefined) {
  return useQuery({
    queryKey: ['span', traceId, spanId],
    queryFn: ({ signal }) => fetchJson<SpanDetails>(`/api/traces/${traceId}/spans/${spanId}`, {}, signal),
    enabled: spanId !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
  });
}
