import { keepPreviousData, useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { OneLogLine } from '../../api/logs/line.ts';
import type { LogLines } from '../../api/logs/lines.ts';
import type { LineMeasureList, LineNumbersAnswer } from '../../api/logs/numbers.ts';
import type { LogOverview } from '../../api/logs/overview.ts';
import type { LogStitch } from '../../api/logs/stitch.ts';
import type { LogTail } from '../../api/logs/tail.ts';
import { comparisonQuery, type Scope } from '../../core/scope/scope.ts';
import { fetchJson, sendJson } from './fetchJson.ts';
import { refreshOf } from './traces.ts';

/** What lines are asked for with, beside the scope; what is as usual is left out. */
export type LineQuestion = Readonly<Record<string, string>>;

/** Counts by severity, shapes and fields. */
export function useLogOverview(scope: Scope, question: LineQuestion, enabled = true) {
  return useQuery({
    queryKey: ['logs', scope, question],
    queryFn: ({ signal }) => fetchJson<LogOverview>('/api/logs', { ...comparisonQuery(scope, Date.now()), ...question }, signal),
    placeholderData: keepPreviousData,
    refetchInterval: refreshOf(scope),
    staleTime: 30_000,
    enabled,
  });
}

/** The lines, a page at a time. */
export function useLogLines(scope: Scope, question: LineQuestion, order: 'newest' | 'oldest', enabled: boolean) {
  return useInfiniteQuery({
    queryKey: ['log lines', scope, question, order],
    queryFn: ({ pageParam, signal }) =>
      fetchJson<LogLines>(
        '/api/logs/lines',
        { ...comparisonQuery(scope, Date.now()), ...question, order, ...(pageParam ? { after: pageParam } : {}) },
        signal,
      ),
    initialPageParam: '',
    getNextPageParam: (page) => page.next,
    placeholderData: keepPreviousData,
    staleTime: 30_000,
    enabled,
  });
}

/** One line, whole. @param id empty for none */
export function useLogLine(id: string) {
  return useQuery({
    queryKey: ['log line', id],
    queryFn: ({ signal }) => fetchJson<OneLogLine>(`/api/logs/lines/${id}`, {}, signal),
    enabled: id !== '',
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** The lines that came since a moment, of the last quarter of an hour. */
export function fetchTail(scope: Scope, question: LineQuestion, since: number, signal: AbortSignal): Promise<LogTail> {
  const now = Date.now();
  const window = { from: new Date(now - 900_000).toISOString(), to: new Date(now + 60_000).toISOString() };
  return fetchJson<LogTail>(
    '/api/logs/tail',
    { ...comparisonQuery(scope, now), before: 'just', ...window, ...question, since: String(since) },
    signal,
  );
}

/** Lines stitched by a key. @param options of the page, as the interface takes them */
export function useLogStitch(scope: Scope, options: Readonly<Record<string, string>>) {
  return useQuery({
    queryKey: ['stitch', scope, options],
    queryFn: ({ signal }) =>
      fetchJson<LogStitch>('/api/logs/stitch', { ...comparisonQuery(scope, Date.now()), ...options }, signal),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });
}

/** Something decided about shapes by hand, as the interface takes it. */
export type ShapeDecisionBody =
  | { readonly decide: 'together'; readonly shapes: readonly string[] }
  | { readonly decide: 'apart'; readonly shape: string; readonly hole: number; readonly values: readonly string[] }
  | { readonly decide: 'as found'; readonly shape: string };

/** Decides about shapes; all that counts lines is asked again. */
export function useShapeDecision() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (decision: ShapeDecisionBody) => sendJson<{ shapes: string[] }>('POST', '/api/logs/shapes', decision),
    onSuccess: () => Promise.all(['logs', 'log lines', 'stitch'].map((key) => client.invalidateQueries({ queryKey: [key] }))),
  });
}

/** What lines of a shape say in one place, as numbers. */
export function useLineNumbers(scope: Scope, question: LineQuestion, of: string, hole: number) {
  const { text, severity } = question;
  const asked = { ...(text ? { text } : {}), ...(severity ? { severity } : {}), of, hole: String(hole) };
  return useQuery({
    queryKey: ['line numbers', scope, asked],
    queryFn: ({ signal }) =>
      fetchJson<LineNumbersAnswer>('/api/logs/numbers', { ...comparisonQuery(scope, Date.now()), ...asked }, signal),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });
}

const MEASURES = '/api/logs/measures';

/** Numbers in lines that are measures of the services that write them. */
export function useLineMeasures() {
  return useQuery({ queryKey: ['line measures'], queryFn: ({ signal }) => fetchJson<LineMeasureList>(MEASURES, {}, signal) });
}

export function useLineMeasuresChange() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (measures: LineMeasureList['measures']) => sendJson<LineMeasureList>('PUT', MEASURES, { measures }),
    onSuccess: (answer) => client.setQueryData(['line measures'], answer),
  });
}
