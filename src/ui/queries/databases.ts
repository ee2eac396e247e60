import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { DatabaseIndexes } from '../../api/databases/indexes.ts';
import type { DatabaseList } from '../../api/databases/list.ts';
import type { DatabaseServer } from '../../api/databases/server.ts';
import type { DatabaseSessions } from '../../api/databases/sessions.ts';
import type { DatabaseStatement } from '../../api/databases/statement.ts';
import type { StatementTimes } from '../../api/databases/statementTimes.ts';
import { comparisonQuery, type Scope } from '../../core/scope/scope.ts';
import { fetchJson } from './fetchJson.ts';
import { refreshOf } from './traces.ts';

/** All database servers, lit against before. */
export function useDatabases(scope: Scope) {
  return useQuery({
    queryKey: ['databases', scope],
    queryFn: ({ signal }) => fetchJson<DatabaseList>('/api/databases', windowsOf(scope), signal),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
    staleTime: 15_000,
  });
}

/** One server. @param name empty for none @param trail parts of its load that were chosen */
export function useDatabase(name: string, scope: Scope, trail = '') {
  return useQuery({
    queryKey: ['database', name, scope, trail],
    queryFn: ({ signal }) =>
      fetchJson<DatabaseServer>(
        `/api/databases/${encodeURIComponent(name)}`,
        { ...windowsOf(scope), ...(trail && { trail }) },
        signal,
      ),
    // Another server's figures would be wrong under this one's name.
    placeholderData: (former, query) => (query?.queryKey[1] === name ? former : undefined),
    refetchInterval: refreshOf(scope),
    staleTime: 15_000,
    enabled: name !== '',
  });
}

/** Indexes of a server that its plans lack, and those that are not used. */
export function useIndexes(name: string, scope: Scope) {
  return useQuery({
    queryKey: ['database indexes', name, scope],
    queryFn: ({ signal }) =>
      fetchJson<DatabaseIndexes>(`/api/databases/${encodeURIComponent(name)}/indexes`, windowsOf(scope), signal),
    placeholderData: (former, query) => (query?.queryKey[1] === name ? former : undefined),
    refetchInterval: refreshOf(scope),
    staleTime: 15_000,
  });
}

/** One statement of a server. @param isAsked false where none is meant */
export function useStatement(server: string, statementId: string, scope: Scope, isAsked = true) {
  return useQuery({
    queryKey: ['database statement', server, statementId, scope],
    queryFn: ({ signal }) =>
      fetchJson<DatabaseStatement>(
        `/api/databases/${encodeURIComponent(server)}/statements/${encodeURIComponent(statementId)}`,
        windowsOf(scope),
        signal,
      ),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
    staleTime: 15_000,
    enabled: isAsked,
  });
}

/** How long the calls of a statement took, by the spans of its callers. */
export function useStatementTimes(server: string, statementId: string, scope: Scope) {
  return useQuery({
    queryKey: ['statement times', server, statementId, scope],
    queryFn: ({ signal }) =>
      fetchJson<StatementTimes>(
        `/api/databases/${encodeURIComponent(server)}/statements/${encodeURIComponent(statementId)}/times`,
        windowsOf(scope),
        signal,
      ),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
    staleTime: 60_000,
  });
}

/** The sessions of a server at a moment, epoch milliseconds. */
export function useSessionsAt(name: string, at: number | undefined) {
  return useQuery({
    queryKey: ['database sessions', name, at],
    queryFn: ({ signal }) =>
      fetchJson<DatabaseSessions>(
        `/api/databases/${encodeURIComponent(name)}/sessions`,
        { at: new Date(at!).toISOString() },
        signal,
      ),
    placeholderData: keepPreviousData,
    enabled: at !== undefined,
    staleTime: 60_000,
  });
}

/** Chips narrow requests; sessions of a database are those of all. */
function windowsOf(scope: Scope): Record<string, string> {
  return comparisonQuery({ ...scope, chips: [] }, Date.now());
}
