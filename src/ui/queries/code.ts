import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { CodeFindings } from '../../api/code/findings.ts';
import type { CodeFixes } from '../../api/code/fixes.ts';
import type { OwnCode } from '../../api/code/ownCode.ts';
import type { ConnectedProbes } from '../../api/code/probes.ts';
import type { CodeProfile } from '../../api/code/profile.ts';
import type { RunningRequest } from '../../api/code/request.ts';
import type { CodeRunning } from '../../api/code/running.ts';
import { comparisonQuery, momentQuery, type Scope } from '../../core/scope/scope.ts';
import { fetchJson, sendJson } from './fetchJson.ts';
import { refreshOf } from './traces.ts';

/** How often it is looked again at what runs, milliseconds. */
export const LOOK_EVERY_MS = 3_000;

/** Chips narrow requests; profiles and what runs are those of all. */
function windowsOf(scope: Scope): Record<string, string> {
  return comparisonQuery({ ...scope, chips: [] }, Date.now());
}

/** What runs is that of the end of the window. */
function momentOf(scope: Scope): Record<string, string> {
  return momentQuery({ ...scope, chips: [] }, Date.now());
}

/** What a profile is asked for, beside its windows. */
export type ProfileQuery = Readonly<Record<string, string>>;

export function useProfile(scope: Scope, query: ProfileQuery) {
  return useQuery({
    queryKey: ['code profile', scope, query],
    queryFn: ({ signal }) => fetchJson<CodeProfile>('/api/code/profile', { ...windowsOf(scope), ...query }, signal),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
    staleTime: 15_000,
  });
}

export function useFindings(scope: Scope) {
  return useQuery({
    queryKey: ['code findings', scope],
    queryFn: ({ signal }) => fetchJson<CodeFindings>('/api/code/findings', windowsOf(scope), signal),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
    staleTime: 30_000,
  });
}

/** Requests that run. @param isPaused whether what is shown stays as it is */
export function useRunning(scope: Scope, isPaused: boolean) {
  const follows = scope.lit.type === 'last' && !isPaused;
  return useQuery({
    queryKey: ['code running', scope],
    queryFn: ({ signal }) => fetchJson<CodeRunning>('/api/code/running', momentOf(scope), signal),
    placeholderData: keepPreviousData,
    refetchInterval: follows ? LOOK_EVERY_MS : false,
    staleTime: follows ? 0 : Number.POSITIVE_INFINITY,
  });
}

/** One running request. @param traceId empty for none */
export function useRunningRequest(scope: Scope, traceId: string, service: string, instance: string, isPaused: boolean) {
  return useQuery({
    queryKey: ['code running request', traceId, service, instance],
    queryFn: ({ signal }) =>
      fetchJson<RunningRequest>(
        `/api/code/running/${encodeURIComponent(traceId)}`,
        { ...momentOf(scope), ...(service && { service }), ...(instance && { instance }) },
        signal,
      ),
    enabled: traceId !== '',
    placeholderData: (former, query) => (query?.queryKey[1] === traceId ? former : undefined),
    // One that has ended does not change any more.
    refetchInterval: (query) => (isPaused || query.state.data?.state === 'ended' ? false : LOOK_EVERY_MS),
    staleTime: 0,
  });
}

/** The processes that probes speak for. */
export function useProbes() {
  return useQuery({
    queryKey: ['probes'],
    queryFn: ({ signal }) => fetchJson<ConnectedProbes>('/api/code/probes', {}, signal),
    refetchInterval: 15_000,
  });
}

/** What became of a question to a probe. */
export interface AskedProbe {
  readonly is: 'asked' | 'no probe' | 'cannot' | 'busy' | 'gone';
  readonly id: string;
  readonly since: number | null;
}

export function askProbe(what: {
  service: string;
  instance: string;
  ask?: string;
  traceId?: string;
  seconds?: number;
}): Promise<AskedProbe> {
  return sendJson<AskedProbe>('POST', '/api/code/looks', what);
}

export function useOwnCode() {
  return useQuery({
    queryKey: ['own code'],
    queryFn: ({ signal }) => fetchJson<OwnCode>('/api/code/own', {}, signal),
  });
}

/** Sets the rules of own code; all that depends on them is asked for anew. */
export function useSetOwnCode() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (rules: OwnCode) => sendJson<OwnCode>('PUT', '/api/code/own', rules),
    onSuccess: () => client.invalidateQueries(),
  });
}

/** Alternatives to the function of a finding, anew every second while they run. @param subject the finding's key; empty for none */
export function useFixes(subject: string) {
  return useQuery({
    queryKey: ['code fixes', subject],
    queryFn: ({ signal }) => fetchJson<CodeFixes>('/api/code/fixes', { subject }, signal),
    enabled: subject !== '',
    refetchInterval: (query) => (query.state.data?.running ? 1_000 : false),
    staleTime: 10_000,
  });
}

export function useRunFixes(subject: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: () => sendJson('POST', '/api/code/fixes', { subject }),
    onSuccess: () => client.invalidateQueries({ queryKey: ['code fixes', subject] }),
  });
}

/** Sets a finding aside; an empty reason takes that back. */
export function useSetAside() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (aside: { key: string; reason: string }) => sendJson('PUT', '/api/code/findings/aside', aside),
    onSuccess: () => client.invalidateQueries({ queryKey: ['code findings'] }),
  });
}
