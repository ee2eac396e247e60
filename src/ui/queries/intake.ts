import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { FillingAnswer } from '../../api/intake/filling.ts';
import type { Masking, MaskPreview } from '../../api/intake/masking.ts';
import type { SenderList } from '../../api/intake/senders.ts';
import type { IntakeState } from '../../api/intake/state.ts';
import type { MaskRule } from '../../core/masking/rules.ts';
import { fetchJson, sendJson } from './fetchJson.ts';

/** What comes in is looked at again this often. */
const REFRESH_MS = 5_000;
/** Who waits for a first span looks more often. */
const WAITING_MS = 1_000;

export function useIntake(first: IntakeState | undefined) {
  return useQuery({
    queryKey: ['intake'],
    queryFn: ({ signal }) => fetchJson<IntakeState>('/api/intake', {}, signal),
    ...(first ? { initialData: first } : {}),
    placeholderData: keepPreviousData,
    refetchInterval: REFRESH_MS,
  });
}

export function useSenders(first: SenderList | undefined, waiting = false) {
  return useQuery({
    queryKey: ['senders'],
    queryFn: ({ signal }) => fetchJson<SenderList>('/api/intake/senders', {}, signal),
    ...(first ? { initialData: first } : {}),
    placeholderData: keepPreviousData,
    refetchInterval: waiting ? WAITING_MS : REFRESH_MS,
  });
}

/** How far a sender is that fills in earlier data; seldom looked at as long as there is none. */
export function useFilling() {
  return useQuery({
    queryKey: ['filling'],
    queryFn: ({ signal }) => fetchJson<FillingAnswer>('/api/intake/filling', {}, signal),
    refetchInterval: ({ state }) => (state.data?.filling ? 2_000 : 15_000),
    retry: false,
  });
}

const MASKING = '/api/intake/masking';

export function useMasking(first: Masking | undefined) {
  return useQuery({
    queryKey: ['masking'],
    queryFn: ({ signal }) => fetchJson<Masking>(MASKING, {}, signal),
    ...(first ? { initialData: first } : {}),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** Puts masking rules in force. */
export function useSetMasking() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (rules: readonly MaskRule[]) => sendJson<Masking>('PUT', MASKING, { rules }),
    onSuccess: (masking) => client.setQueryData(['masking'], masking),
  });
}

/** What a rule would do to what was kept last. */
export function useMaskPreview(rule: MaskRule | undefined) {
  return useQuery({
    queryKey: ['mask preview', rule],
    queryFn: ({ signal }) => sendJson<MaskPreview>('POST', `${MASKING}/preview`, { rule }, signal),
    enabled: rule !== undefined,
    retry: false,
  });
}
