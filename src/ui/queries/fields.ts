import { useQuery } from '@tanstack/react-query';
import type { FieldList } from '../../api/fields/list.ts';
import { type Scope, scopeQuery } from '../../core/scope/scope.ts';
import { fetchJson } from './fetchJson.ts';

/** By what the scope can be narrowed further; asked for while `wanted`. */
export function useFields(scope: Scope, wanted: boolean) {
  return useQuery({
    queryKey: ['fields', scope],
    queryFn: ({ signal }) => fetchJson<FieldList>('/api/fields', scopeQuery(scope, Date.now()), signal),
    enabled: wanted,
    staleTime: 60_000,
  });
}

export function useEnvironments() {
  return useQuery({
    queryKey: ['environments'],
    queryFn: ({ signal }) => fetchJson<{ environments: string[] }>('/api/environments', {}, signal),
    staleTime: 60_000,
  });
}
