import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { AuditList } from '../../api/accounts/audit.ts';
import type { Me } from '../../api/accounts/me.ts';
import type { PeopleList } from '../../api/accounts/people.ts';
import type { SignInProvider } from '../../api/accounts/provider.ts';
import type { SenderTokenList } from '../../api/accounts/senderTokens.ts';
import type { Watched } from '../../api/accounts/watched.ts';
import { fetchJson, sendJson } from './fetchJson.ts';

/** What is known from the start, if anything, and a path to ask again. */
function useAnswer<T>(path: string, first: T | undefined, query: Record<string, string> = {}) {
  return useQuery({
    queryKey: [path, query],
    queryFn: ({ signal }) => fetchJson<T>(path, query, signal),
    ...(first && Object.keys(query).length === 0 ? { initialData: first } : {}),
    placeholderData: keepPreviousData,
  });
}

export const useMe = (first?: Me) => useAnswer<Me>('/api/account', first);
export const usePeople = (first?: PeopleList) => useAnswer<PeopleList>('/api/people', first);
export const useSignInProvider = (first?: SignInProvider) => useAnswer<SignInProvider>('/api/people/provider', first);
export const useSenderTokens = (first?: SenderTokenList) => useAnswer<SenderTokenList>('/api/intake/tokens', first);
export const useWatchedEnvironments = () => useAnswer<Watched>('/api/audit/environments', undefined);
export const useAudit = (first: AuditList | undefined, query: Record<string, string>) =>
  useAnswer<AuditList>('/api/audit', first, query);

/** Sends a change of accounts, and asks again for what shows it. */
export function useAccountChange<Answer = object>() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ method = 'POST', path, body }: { method?: 'POST' | 'PUT'; path: string; body: object }) =>
      sendJson<Answer>(method, path, body),
    onSuccess: () => client.invalidateQueries(),
  });
}

/** Sends what the way in asks for. @throws AnswerError with what was said */
export const sendSignIn = <T>(path: string, body: object) => sendJson<T>('POST', `/api/account/${path}`, body);
