import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { VisitorApps } from '../../api/visitors/apps.ts';
import type { VisitorChecks } from '../../api/visitors/checks.ts';
import type { VisitorHours } from '../../api/visitors/hours.ts';
import type { VisitorPages } from '../../api/visitors/pages.ts';
import type { VisitorParties } from '../../api/visitors/parties.ts';
import type { VisitorSteps } from '../../api/visitors/steps.ts';
import type { VisitorVersions } from '../../api/visitors/versions.ts';
import type { OneVisit } from '../../api/visitors/visit.ts';
import type { VisitorVisits } from '../../api/visitors/visits.ts';
import { comparisonQuery, type Scope } from '../../core/scope/scope.ts';
import type { VisitorChoice } from '../visitors/visitorPaths.ts';
import { fetchJson, sendJson } from './fetchJson.ts';
import { refreshOf } from './traces.ts';

type Asked = Readonly<Record<string, string>>;

/** What takes long and hardly changes is asked for once in so long. */
const ONCE_MS = 600_000;

/** A question about visitors: chips narrow requests and not visits, which have a narrowing of their own. */
function useVisitors<Answer>(path: string, scope: Scope, { app, who }: VisitorChoice, asked: Asked = {}, isAskedAgain = true) {
  const own = { ...(app && { app }), ...(who && { who }), ...asked };
  return useQuery({
    queryKey: ['visitors', path, scope, own],
    queryFn: ({ signal }) => fetchJson<Answer>(path, { ...comparisonQuery({ ...scope, chips: [] }, Date.now()), ...own }, signal),
    placeholderData: keepPreviousData,
    refetchInterval: isAskedAgain && refreshOf(scope),
    staleTime: isAskedAgain ? 15_000 : ONCE_MS,
  });
}

export function useVisitorPages(scope: Scope, choice: VisitorChoice, target: number) {
  return useVisitors<VisitorPages>('/api/visitors/pages', scope, choice, { target: String(target) });
}

/** The best and the worst hour of the week: a week is read for it, and it is of full hours. */
export function useVisitorHours(scope: Scope, choice: VisitorChoice) {
  return useVisitors<VisitorHours>('/api/visitors/hours', scope, choice, {}, false);
}

/** Sets the time until ready that satisfies on one page, milliseconds; null for that of all pages. */
export function useSetPageTarget() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (target: { app: string; page: string; ms: number | null }) => sendJson('PUT', '/api/visitors/targets', target),
    onSuccess: () => client.invalidateQueries({ queryKey: ['visitors', '/api/visitors/pages'] }),
  });
}

export function useVisits(scope: Scope, choice: VisitorChoice, order: string) {
  return useVisitors<VisitorVisits>('/api/visitors/visits', scope, choice, { order });
}

export function useSteps(scope: Scope, choice: VisitorChoice, asked: Asked) {
  return useVisitors<VisitorSteps>('/api/visitors/steps', scope, choice, asked);
}

export function useVersions(scope: Scope, choice: VisitorChoice) {
  return useVisitors<VisitorVersions>('/api/visitors/versions', scope, choice);
}

export function useParties(scope: Scope, choice: VisitorChoice) {
  return useVisitors<VisitorParties>('/api/visitors/parties', scope, choice);
}

/** The applications at a glance. */
export function useVisitorApps(scope: Scope) {
  return useVisitors<VisitorApps>('/api/visitors/apps', scope, { app: '', who: '' });
}

/** Checks are not narrowed: they are nobody's visits. */
export function useChecks(scope: Scope) {
  return useVisitors<VisitorChecks>('/api/visitors/checks', scope, { app: '', who: '' });
}

/** The page loads of a visit as an HTTP archive. */
export function readArchive(scope: Scope, session: string): Promise<unknown> {
  return fetchJson(`/api/visitors/visits/${encodeURIComponent(session)}/har`, aroundOf(scope));
}

function aroundOf(scope: Scope): { from: string; to: string } {
  const { from, to } = comparisonQuery({ ...scope, chips: [] }, Date.now());
  return { from: from!, to: to! };
}

export function useVisit(scope: Scope, session: string) {
  return useQuery({
    queryKey: ['visit', session, scope.lit],
    queryFn: ({ signal }) => fetchJson<OneVisit>(`/api/visitors/visits/${encodeURIComponent(session)}`, aroundOf(scope), signal),
    staleTime: 15_000,
  });
}
