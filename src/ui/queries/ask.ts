import { useQuery } from '@tanstack/react-query';
import type { AskAnswer } from '../../api/ask/ask.ts';
import { fetchJson } from './fetchJson.ts';

/** What a text may be. @param deep whether every span is looked through, which takes seconds */
export function useAsk(text: string, deep: boolean) {
  return useQuery({
    queryKey: ['ask', text, deep],
    queryFn: ({ signal }) => fetchJson<AskAnswer>('/api/ask', { text, ...(deep ? { deep: 'true' } : {}) }, signal),
    enabled: text !== '',
    staleTime: 30_000,
    retry: false,
  });
}
