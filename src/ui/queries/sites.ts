import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { VisitorSites } from '../../api/visitors/sites.ts';
import { fetchJson, sendJson } from './fetchJson.ts';

const KEY = ['visitor sites'];

export function useSites() {
  return useQuery({ queryKey: KEY, queryFn: ({ signal }) => fetchJson<VisitorSites>('/api/visitors/sites', {}, signal) });
}

/** Replaces the sites; one without a key gets one. */
export function useSetSites() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (sites: readonly Partial<VisitorSites['sites'][number]>[]) =>
      sendJson<VisitorSites>('PUT', '/api/visitors/sites', { sites }),
    onSuccess: (sites) => client.setQueryData(KEY, sites),
  });
}

export interface MaskedPreview {
  readonly page: { readonly text: string; readonly count: number };
  readonly door: { readonly text: string; readonly count: number };
  readonly path: string;
}

export function usePreviewMasking(text: string, path: string) {
  return useQuery({
    queryKey: ['visitor masking', text, path],
    queryFn: () => sendJson<MaskedPreview>('POST', '/api/visitors/sites/preview', { text, path }),
    enabled: text !== '' || path !== '',
  });
}
