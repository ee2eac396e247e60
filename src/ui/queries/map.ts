import { keepPreviousData, type UseQueryResult, useQuery } from '@tanstack/react-query';
import type { LayoutAnswer, LayoutQuestion } from '../../api/map/layout.ts';
import type { MapAnswer } from '../../api/map/map.ts';
import type { Starts } from '../../api/map/starts.ts';
import type { ServiceExample } from '../../api/services/example.ts';
import type { ServiceMeasures } from '../../api/services/measures.ts';
import type { ServiceOverview } from '../../api/services/overview.ts';
import type { PeerOverview } from '../../api/services/peer.ts';
import type { ServiceTime } from '../../api/services/time.ts';
import type { ServiceVersions } from '../../api/services/versions.ts';
import type { TraceMap } from '../../api/traces/touched.ts';
import { comparisonQuery, type Scope, scopeQuery } from '../../core/scope/scope.ts';
import { fetchJson, sendJson } from './fetchJson.ts';
import { type First, initially, refreshOf } from './traces.ts';

/** Who calls whom. @param options of the map, as the interface takes them */
export function useMap(scope: Scope, options: Readonly<Record<string, string>>, first: First<MapAnswer>) {
  return useQuery({
    queryKey: ['map', scope, options],
    queryFn: ({ signal }) => fetchJson<MapAnswer>('/api/map', { ...comparisonQuery(scope, Date.now()), ...options }, signal),
    ...initially(first, scope),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
  });
}

/** Where the nodes of a map stand. */
export function askLayout(question: LayoutQuestion, signal?: AbortSignal): Promise<LayoutAnswer> {
  return sendJson<LayoutAnswer>('POST', '/api/map/layout', question, signal);
}

/** Where trouble starts; worked out from samples of traces, so it comes after the map. */
export function useStarts(scope: Scope, clientErrors: string) {
  return useQuery({
    queryKey: ['starts', scope, clientErrors],
    queryFn: ({ signal }) =>
      fetchJson<Starts>('/api/map/starts', { ...comparisonQuery(scope, Date.now()), clientErrors }, signal),
    staleTime: 60_000,
    refetchInterval: refreshOf(scope) && 60_000,
  });
}

/** What one request touched. @param traceId empty for none */
export function useTraceMap(traceId: string) {
  return useQuery({
    queryKey: ['trace map', traceId],
    queryFn: ({ signal }) => fetchJson<TraceMap>(`/api/traces/${traceId}/map`, {}, signal),
    enabled: traceId !== '',
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** What is asked of one service or peer; while another window is asked for, what was known of the same one stays. */
function useOf<T extends object>(part: string, name: string, scope: Scope, first?: First<T>): UseQueryResult<T> {
  return useQuery<T>({
    queryKey: [part, name, scope],
    queryFn: ({ signal }) =>
      fetchJson<T>(part.replace('*', encodeURIComponent(name)), comparisonQuery(scope, Date.now()), signal),
    ...(first ? (initially(first, scope) as object) : {}),
    enabled: name !== '',
    placeholderData: ((kept: T | undefined, query?: { queryKey: readonly unknown[] }) =>
      query?.queryKey[1] === name ? kept : undefined) as never,
    refetchInterval: refreshOf(scope),
  });
}

/** @param name empty for none */
export function useService(name: string, scope: Scope, first?: First<ServiceOverview>) {
  return useOf<ServiceOverview>('/api/services/*', name, scope, first);
}

export function useServiceTime(name: string, scope: Scope) {
  return useOf<ServiceTime>('/api/services/*/time', name, scope);
}

export function useServiceMeasures(name: string, scope: Scope) {
  return useOf<ServiceMeasures>('/api/services/*/measures', name, scope);
}

/** The versions of a service. @param pair which two are held against each other; the last one and the one before it when empty */
export function useVersions(name: string, scope: Scope, pair: { readonly older?: string; readonly newer?: string }) {
  return useQuery({
    queryKey: ['versions', name, scope, pair],
    queryFn: ({ signal }) =>
      fetchJson<ServiceVersions>(
        `/api/services/${encodeURIComponent(name)}/versions`,
        { ...comparisonQuery(scope, Date.now()), ...pair },
        signal,
      ),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });
}

/** @param id of the map's node; empty for none */
export function usePeer(id: string, scope: Scope, first?: First<PeerOverview>) {
  return useOf<PeerOverview>('/api/peers/*', id, scope, first);
}

/**
 * Goes to a request that a service handled in about so long.
 *
 * @param within where in time it is looked for, epoch milliseconds; the lit window when undefined
 */
export async function openServiceExample(
  name: string,
  scope: Scope,
  durationNs: number,
  href: (path: string) => string,
  within?: { readonly from: number; readonly to: number },
): Promise<void> {
  const query = { ...scopeQuery(scope, Date.now()), durationNs: String(Math.round(durationNs)) };
  const time = within && { from: new Date(within.from).toISOString(), to: new Date(within.to).toISOString() };
  const path = `/api/services/${encodeURIComponent(name)}/example`;
  const { traceId, spanId } = await fetchJson<ServiceExample>(path, { ...query, ...time });
  location.href = `${href(`/traces/${traceId}`)}&span=${spanId}`;
}
