import { keepPreviousData, queryOptions, useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { Beside } from '../../api/traces/beside.ts';
import type { TraceComparison } from '../../api/traces/compare.ts';
import type { TraceFunctions } from '../../api/traces/functions.ts';
import type { TraceGroups } from '../../api/traces/groups.ts';
import type { LikeTraces } from '../../api/traces/like.ts';
import type { TraceListPage } from '../../api/traces/list.ts';
import type { TraceLogs } from '../../api/traces/logs.ts';
import type { TraceOverview } from '../../api/traces/overview.ts';
import type { TracePoints } from '../../api/traces/points.ts';
import type { SpanDetails } from '../../api/traces/span.ts';
import type { TraceStripes } from '../../api/traces/stripes.ts';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import type { UsualDurations } from '../../api/traces/usual.ts';
import type { TraceColumn, TraceFinds } from '../../api/traces/within.ts';
import { writeBefore } from '../../core/scope/before.ts';
import { chipQuery, comparisonQuery, type Scope, scopeQuery, windowAt } from '../../core/scope/scope.ts';
import { fetchJson } from './fetchJson.ts';

export const TRACE_ORDERS = ['-duration', '-failed', '-start'] as const;
export type TraceOrder = (typeof TRACE_ORDERS)[number];

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

/** More points than this are no longer distinguished. */
const MOST_POINTS = 8000;

/** Requests as points of time and duration. */
export function useTracePoints(scope: Scope) {
  return useQuery({
    queryKey: ['points', scope],
    queryFn: ({ signal }) =>
      fetchJson<TracePoints>('/api/traces/points', { ...scopeQuery(scope, Date.now()), most: String(MOST_POINTS) }, signal),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
  });
}

/** Requests by what they have in common, lit against before. */
export function useTraceGroups(scope: Scope, by: string) {
  return useQuery({
    queryKey: ['groups', scope, by],
    queryFn: ({ signal }) => fetchJson<TraceGroups>('/api/traces/groups', { ...comparisonQuery(scope, Date.now()), by }, signal),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
  });
}

/** Traces asked for together; the stripes of rows that are scrolled past quickly are not asked for. */
const STRIPES_AT_ONCE = 40;

/** How much of each trace's critical path each service has, as they become known; for the rows in sight. */
export function useStripes(traceIds: readonly string[]): ReadonlyMap<string, TraceStripes['stripes'][number]['parts']> {
  const client = useQueryClient();
  const missing = traceIds.filter((id) => client.getQueryData(['stripe', id]) === undefined).slice(0, STRIPES_AT_ONCE);
  useQuery({
    queryKey: ['stripes', missing.join()],
    queryFn: async ({ signal }) => {
      const found = await fetchJson<TraceStripes>('/api/traces/stripes', { ids: missing.join() }, signal);
      // Those that are too large have none.
      for (const id of missing) client.setQueryData(['stripe', id], []);
      for (const { traceId, parts } of found.stripes) client.setQueryData(['stripe', traceId], parts);
      return found;
    },
    enabled: missing.length > 0,
    staleTime: Number.POSITIVE_INFINITY,
  });
  return new Map(traceIds.map((id) => [id, client.getQueryData<TraceStripes['stripes'][number]['parts']>(['stripe', id]) ?? []]));
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

/** A trace younger than this may still grow. */
const GROWS_MS = 120_000;
const GROWTH_MS = 4_000;

/** A trace as it is drawn; joined with others by messages when asked. One that began a moment ago is asked for again while it may grow. */
export function useTimeline(traceId: string, first: TraceTimeline | undefined, joined: boolean) {
  return useQuery({
    queryKey: ['timeline', traceId, joined],
    queryFn: ({ signal }) =>
      fetchJson<TraceTimeline>(`/api/traces/${traceId}/timeline`, joined ? { joined: 'true' } : {}, signal),
    ...(first && !joined ? { initialData: first } : {}),
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    refetchInterval: ({ state }) => {
      const end = state.data && Date.parse(state.data.start) + state.data.durationNs / 1e6;
      return end !== undefined && Date.now() - end < GROWS_MS ? GROWTH_MS : false;
    },
  });
}

/** How long the operations of a trace usually take, in the lit window. */
export function useUsual(traceId: string, scope: Scope, side: 'lit' | 'before', first: First<UsualDurations>) {
  const before: Record<string, string> = side === 'before' ? { before: writeBefore(scope.before) } : {};
  return useQuery({
    queryKey: ['usual', traceId, scope.lit, before],
    queryFn: ({ signal }) =>
      fetchJson<UsualDurations>(`/api/traces/${traceId}/usual`, { ...windowQuery(scope.lit), ...before }, signal),
    ...(side === 'lit' ? initially(first, scope) : {}),
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** The attributes that the spans of a trace have, and the values of one. */
export function columnQuery(traceId: string, key: string | undefined) {
  return queryOptions({
    queryKey: ['column', traceId, key],
    queryFn: ({ signal }) =>
      fetchJson<TraceColumn>(`/api/traces/${traceId}/attributes`, key === undefined ? {} : { key }, signal),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** The spans of a trace with a text in them. */
export function useFindInTrace(traceId: string, text: string) {
  return useQuery({
    queryKey: ['find', traceId, text],
    queryFn: ({ signal }) => fetchJson<TraceFinds>(`/api/traces/${traceId}/find`, { text }, signal),
    enabled: text !== '',
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
  });
}

export function useTraceLogs(traceId: string) {
  return useQuery({
    queryKey: ['trace logs', traceId],
    queryFn: ({ signal }) => fetchJson<TraceLogs>(`/api/traces/${traceId}/logs`, {}, signal),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** A trace laid over another, or over the typical ones of a window. */
export function useComparison(traceId: string, other: string, scope: Scope, first: First<TraceComparison>) {
  return useQuery({
    queryKey: ['compare', traceId, other, scope.lit, scope.before],
    queryFn: ({ signal }) =>
      fetchJson<TraceComparison>(
        `/api/traces/${traceId}/compare`,
        { ...comparisonQuery({ ...scope, chips: [] }, Date.now()), with: other },
        signal,
      ),
    ...initially(first, scope),
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
  });
}

function windowQuery(lit: Scope['lit']): { from: string; to: string } {
  const { from, to } = windowAt(lit, Date.now());
  return { from: new Date(from).toISOString(), to: new Date(to).toISOString() };
}

/** Where a trace stands among others of its entry in the lit window. */
export function useLikeTraces(traceId: string, { lit }: Scope) {
  return useQuery({
    queryKey: ['like', traceId, lit],
    queryFn: ({ signal }) => fetchJson<LikeTraces>(`/api/traces/${traceId}/like`, windowQuery(lit), signal),
    placeholderData: keepPreviousData,
  });
}

/** What went on beside a span. @param spanId undefined for none */
export function useTraceFunctions(traceId: string, party: string) {
  return useQuery({
    queryKey: ['trace functions', traceId, party],
    queryFn: ({ signal }) => fetchJson<TraceFunctions>(`/api/traces/${traceId}/functions`, { party }, signal),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

export function useBeside(traceId: string, spanId: string | undefined, scope: Scope) {
  return useQuery({
    queryKey: ['beside', traceId, spanId, scope.lit, scope.before],
    queryFn: ({ signal }) =>
      fetchJson<Beside>(
        `/api/traces/${traceId}/spans/${spanId}/beside`,
        comparisonQuery({ ...scope, chips: [] }, Date.now()),
        signal,
      ),
    enabled: spanId !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
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
