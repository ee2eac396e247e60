import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { Incident, IncidentList } from '../../api/incidents/incidents.ts';
import type { Inbox, RuleList, RuleTrial } from '../../api/rules/rules.ts';
import type { Rule } from '../../core/incidents/rules.ts';
import { fetchJson, sendJson } from './fetchJson.ts';

const REFRESH_MS = 15_000;
/** Incidents of so long ago are listed. */
const LISTED_MS = 7 * 86_400_000;

export function useIncidents() {
  return useQuery({
    queryKey: ['incidents'],
    queryFn: ({ signal }) => {
      const now = Date.now();
      const query = { from: new Date(now - LISTED_MS).toISOString(), to: new Date(now + 60_000).toISOString() };
      return fetchJson<IncidentList>('/api/incidents', query, signal);
    },
    placeholderData: keepPreviousData,
    refetchInterval: REFRESH_MS,
  });
}

export function useChangeIncident() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ id, ...change }: { id: number; acknowledged?: boolean; mutedUntil?: string | null }) =>
      sendJson<Incident>('PUT', `/api/incidents/${id}`, change),
    onSuccess: () => client.invalidateQueries({ queryKey: ['incidents'] }),
  });
}

export function useRules() {
  return useQuery({
    queryKey: ['rules'],
    queryFn: ({ signal }) => fetchJson<RuleList>('/api/rules', {}, signal),
    staleTime: 60_000,
  });
}

export function useSetRules() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (rules: readonly Rule[]) => sendJson<RuleList>('PUT', '/api/rules', { rules }),
    onSuccess: (list) => client.setQueryData(['rules'], list),
  });
}

/** How often a rule would have fired. */
export function useRuleTrial(rule: Pick<Rule, 'journey' | 'measure' | 'bound' | 'minutes'> | undefined) {
  return useQuery({
    queryKey: ['rule trial', rule],
    queryFn: ({ signal }) => sendJson<RuleTrial>('POST', '/api/rules/trial', rule, signal),
    enabled: rule !== undefined,
    retry: false,
    placeholderData: keepPreviousData,
  });
}

export function useInbox() {
  return useQuery({
    queryKey: ['inbox'],
    queryFn: ({ signal }) => fetchJson<Inbox>('/api/inbox', {}, signal),
    refetchInterval: REFRESH_MS,
  });
}

export function useSetRecipients() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (it: { mail?: string; webhook?: string; webhookSecret?: string }) =>
      sendJson<Inbox['recipients']>('PUT', '/api/inbox', it),
    onSuccess: () => client.invalidateQueries({ queryKey: ['inbox'] }),
  });
}
