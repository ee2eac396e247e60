import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import type { LineSeries } from '../../api/logs/series.ts';
import type { RibbonMarks } from '../../api/ribbon/ribbon.ts';
import { chipQuery, comparisonQuery, type Scope } from '../../core/scope/scope.ts';
import { useScope } from '../state/scopeState.ts';
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

const NO_FLAGS: readonly { at: number; title: string }[] = [];

/** What was noted, as flags of a chart. */
export function useNoteFlags(): readonly { at: number; title: string }[] {
  const { scope } = useScope();
  const notes = useRibbonMarks(scope).data?.notes;
  return useMemo(() => notes?.map(({ at, text, by }) => ({ at, title: by ? `${text} (${by})` : text })) ?? NO_FLAGS, [notes]);
}

/** All minutes that are kept are summed for it. */
const LINES_REFRESH_MS = 60_000;

/** Lines over all stored time, by severity. */
export function useLineSeries(scope: Scope, enabled: boolean) {
  return useQuery({
    queryKey: ['line series', scope.chips],
    queryFn: ({ signal }) => fetchJson<LineSeries>('/api/logs/series', chipQuery(scope.chips), signal),
    enabled,
    placeholderData: keepPreviousData,
    refetchInterval: LINES_REFRESH_MS,
  });
}
