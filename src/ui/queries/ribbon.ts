import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { RibbonMarks } from '../../api/ribbon/ribbon.ts';
import { comparisonQuery, type Scope } from '../../core/scope/scope.ts';
import { fetchJson } from './fetchJson.ts';
import { refreshOf } from './traces.ts';

/** What is marked on the ribbon: the before window, changes, incidents. */
export function useRibbonMarks(scope: Scope) {
  return useQuery({
    queryKey: ['ribbon', scope.lit, scope.before],
    queryFn: ({ signal }) => {
      const { from, to, before } = comparisonQuery(scope, Date.now());
      return fetchJson<RibbonMarks>('/api/ribbon', { from, to, before }, signal);
    },
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
  });
}
