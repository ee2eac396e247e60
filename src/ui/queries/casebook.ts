import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { CaseImpact } from '../../api/casebook/caseImpact.ts';
import type { CaseList, OneCase } from '../../api/casebook/cases.ts';
import type { CaseShares } from '../../api/casebook/handOver.ts';
import type { CasePins, PinNow } from '../../api/casebook/pins.ts';
import type { SimilarCases } from '../../api/casebook/similar.ts';
import type { CaseHistory, CaseSteps } from '../../api/casebook/trail.ts';
import type { Evidence } from '../../core/casebook/evidence/evidence.ts';
import type { HandOverPart } from '../../core/casebook/handover/handOver.ts';
import type { PinKind } from '../../core/casebook/pin.ts';
import { fetchJson, sendJson } from './fetchJson.ts';

const REFRESH_MS = 10_000;

/** The cases. @param text that stands in them */
export function useCases({ text = '', enabled = true }: { text?: string; enabled?: boolean } = {}) {
  return useQuery({
    queryKey: ['cases', text],
    queryFn: ({ signal }) => fetchJson<CaseList>('/api/casebook', text === '' ? {} : { text }, signal),
    placeholderData: (previous) => previous,
    refetchInterval: REFRESH_MS,
    enabled,
  });
}

/** A case in short, such as its marks; undefined while none is open. */
export function useCaseInShort(id: number | undefined) {
  return useQuery({
    queryKey: ['case in short', id],
    queryFn: async ({ signal }) => (await fetchJson<CaseList>('/api/casebook', { id: String(id) }, signal)).cases[0] ?? null,
    refetchInterval: REFRESH_MS,
    enabled: id !== undefined,
  });
}

/** A case whole, as it is when it is opened. */
export function useCase(id: number | undefined, first?: OneCase) {
  return useQuery({
    queryKey: ['case', id],
    queryFn: ({ signal }) => fetchJson<OneCase>(`/api/casebook/${id}`, {}, signal),
    initialData: first,
    enabled: id !== undefined,
    // What changes from then on comes by itself.
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** What is pinned to a case. @param pins how many there are: others pin, too */
export function useCasePins(id: number, pins: number, first: OneCase['pins']) {
  return useQuery({
    queryKey: ['case pins', id, pins],
    queryFn: ({ signal }) => fetchJson<CasePins>(`/api/casebook/${id}/pins`, {}, signal),
    initialData: pins < 0 || pins === first.length ? { pins: first } : undefined,
    placeholderData: (previous) => previous ?? { pins: first },
    staleTime: Number.POSITIVE_INFINITY,
  });
}

export function useCaseSteps(id: number | undefined) {
  return useQuery({
    queryKey: ['case steps', id],
    queryFn: ({ signal }) => fetchJson<CaseSteps>(`/api/casebook/${id}/steps`, {}, signal),
    enabled: id !== undefined,
    refetchInterval: REFRESH_MS,
  });
}

export function useCaseHistory(id: number, enabled: boolean) {
  return useQuery({
    queryKey: ['case history', id],
    queryFn: ({ signal }) => fetchJson<CaseHistory>(`/api/casebook/${id}/history`, {}, signal),
    enabled,
    refetchInterval: REFRESH_MS,
  });
}

export function useReturnToVersion(id: number, by: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (version: number) => sendJson('POST', `/api/casebook/${id}/history/return`, { version, by }),
    onSuccess: () => client.invalidateQueries({ queryKey: ['case history', id] }),
  });
}

/**
 * What a case did to people.
 *
 * @param of what it is worked out of, so that it is asked again when that changes @param isSaved whether that is stored already
 */
export function useCaseImpact(id: number, of: string, isSaved: boolean) {
  return useQuery({
    queryKey: ['case impact', id, of],
    queryFn: ({ signal }) => fetchJson<CaseImpact>(`/api/casebook/${id}/impact`, {}, signal),
    enabled: isSaved,
    placeholderData: (previous) => previous,
    staleTime: 60_000,
  });
}

export function useSimilarCases(id: number) {
  return useQuery({
    queryKey: ['similar cases', id],
    queryFn: ({ signal }) => fetchJson<SimilarCases>(`/api/casebook/${id}/similar`, {}, signal),
    staleTime: 30_000,
  });
}

interface AskedPin {
  readonly kind: PinKind;
  readonly query: Readonly<Record<string, string>>;
  readonly part?: Readonly<Record<string, string>>;
  readonly path: string;
  readonly page: string;
  readonly words: string;
  readonly given?: readonly Evidence[];
  /** A lead that it speaks for. */
  readonly hypothesis?: string;
}

/** What a case can begin with. */
export interface NewCase {
  readonly by: string;
  readonly title?: string;
  readonly since?: number | null;
  readonly until?: number | null;
  readonly where?: string;
  readonly incident?: number;
  readonly pins?: readonly AskedPin[];
}

export function useNewCase() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (it: NewCase) => sendJson<{ id: number; notPinned: string[] }>('POST', '/api/casebook', it),
    onSuccess: () => client.invalidateQueries({ queryKey: ['cases'] }),
  });
}

export function usePin() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ id, by, pin }: { id: number; by: string; pin: AskedPin }) =>
      sendJson<{ id: string; title: string }>('POST', `/api/casebook/${id}/pins`, { by, pin }),
    onSuccess: (_, { id }) => client.invalidateQueries({ queryKey: ['case steps', id] }),
  });
}

export function useReferToIncident() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ id, ...it }: { id: number; incident: number; by: string }) =>
      sendJson('POST', `/api/casebook/${id}/incidents`, it),
    onSuccess: () => client.invalidateQueries({ queryKey: ['cases'] }),
  });
}

/** The same as a pin shows, of another window; of its own when none is given. */
export function usePinNow(id: number, pin: string, window: Record<string, string> | undefined) {
  return useQuery({
    queryKey: ['pin now', id, pin, window],
    queryFn: ({ signal }) => fetchJson<PinNow>(`/api/casebook/${id}/pins/${pin}/now`, window ?? {}, signal),
    enabled: window !== undefined,
    staleTime: 30_000,
  });
}

export function noteStep(id: number, step: { by: string; path: string; title: string }): Promise<unknown> {
  return sendJson('POST', `/api/casebook/${id}/steps`, step);
}

export function useDeleteCase() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ id, deleted }: { id: number; deleted: boolean }) =>
      sendJson('POST', `/api/casebook/${id}/removal`, { deleted }),
    onSuccess: () => client.invalidateQueries({ queryKey: ['cases'] }),
  });
}

export function useImportCase() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ by, file }: { by: string; file: unknown }) =>
      sendJson<{ id: number }>('POST', '/api/casebook/files', { by, file }),
    onSuccess: () => client.invalidateQueries({ queryKey: ['cases'] }),
  });
}

/**
 * The hand-over as Markdown.
 *
 * @param of what it is made of, so that it is made anew when that changes @param isSaved whether that is stored already
 */
export function useHandOver(id: number, parts: readonly HandOverPart[], zone: string, of: string, isSaved: boolean) {
  return useQuery({
    queryKey: ['hand-over', id, parts, zone, of],
    enabled: isSaved,
    queryFn: async ({ signal }) => {
      const parameters = new URLSearchParams({ parts: parts.join(','), zone });
      const answer = await fetch(`/api/casebook/${id}/hand-over?${parameters}`, { signal });
      if (!answer.ok)
        throw new Error(((await answer.json().catch(() => ({}))) as { error?: string }).error ?? `answered ${answer.status}`);
      return answer.text();
    },
    placeholderData: (previous) => previous,
  });
}

export function useShares(id: number) {
  return useQuery({
    queryKey: ['case shares', id],
    queryFn: ({ signal }) => fetchJson<CaseShares>(`/api/casebook/${id}/shares`, {}, signal),
  });
}

export function useMakeShare(id: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (it: { by: string; parts: readonly HandOverPart[]; zone: string; origin: string }) =>
      sendJson<{ token: string; path: string }>('POST', `/api/casebook/${id}/shares`, it),
    onSuccess: () => client.invalidateQueries({ queryKey: ['case shares', id] }),
  });
}

export function useStopShare(id: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (token: string) => sendJson('POST', `/api/casebook/${id}/shares/removal`, { token }),
    onSuccess: () => client.invalidateQueries({ queryKey: ['case shares', id] }),
  });
}
