import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { TrialServers } from '../../api/planbench/servers.ts';
import type { PlanTrial, PlanTrials, PreparedTrial, StatementToTry } from '../../api/planbench/trial.ts';
import type { TrialRequest } from '../../core/planbench/trial.ts';
import { fetchJson, sendJson } from './fetchJson.ts';

const UNDER_WAY_MS = 1_000;

export function useTrialServers() {
  return useQuery({
    queryKey: ['trial servers'],
    queryFn: ({ signal }) => fetchJson<TrialServers>('/api/planbench/servers', {}, signal),
  });
}

export interface NewServer {
  readonly name: string;
  readonly dsn: string;
  readonly use: 'copy' | 'live' | 'none';
  readonly readRole: string;
  readonly environment: string;
}

export function useAddServer() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (it: NewServer) => sendJson<TrialServers>('POST', '/api/planbench/servers', it),
    onSuccess: (found) => client.setQueryData(['trial servers'], found),
  });
}

export function useRemoveServer() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (name: string) => sendJson<TrialServers>('POST', '/api/planbench/servers/removal', { name }),
    onSuccess: (found) => client.setQueryData(['trial servers'], found),
  });
}

/** The text of a statement. @param id empty for none */
export function useStatementToTry(id: string) {
  return useQuery({
    queryKey: ['statement to try', id],
    queryFn: ({ signal }) => fetchJson<StatementToTry>(`/api/planbench/statements/${encodeURIComponent(id)}`, {}, signal),
    enabled: id !== '',
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** What speaks against trying a statement, and the values that it leaves open. */
export function usePrepareTrial() {
  return useMutation({
    mutationFn: (it: { readonly server: string; readonly text: string }) =>
      sendJson<PreparedTrial>('POST', '/api/planbench/statement', it),
  });
}

export function useStartTrial() {
  return useMutation({ mutationFn: (it: TrialRequest) => sendJson<{ id: string }>('POST', '/api/planbench/trials', it) });
}

export function useStopTrial(id: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: () => sendJson('POST', `/api/planbench/trials/${encodeURIComponent(id)}/stop`, {}),
    onSuccess: () => client.invalidateQueries({ queryKey: ['trial', id] }),
  });
}

/** A trial, anew every second while it is under way. */
export function usePlanTrial(id: string) {
  return useQuery({
    queryKey: ['trial', id],
    queryFn: ({ signal }) => fetchJson<PlanTrial>(`/api/planbench/trials/${encodeURIComponent(id)}`, {}, signal),
    refetchInterval: (query) =>
      query.state.data && query.state.data.ended === null && query.state.data.phase !== 'stopped' ? UNDER_WAY_MS : false,
  });
}

export function usePlanTrials() {
  return useQuery({
    queryKey: ['trials'],
    queryFn: ({ signal }) => fetchJson<PlanTrials>('/api/planbench/trials', {}, signal),
    refetchInterval: 5_000,
  });
}
