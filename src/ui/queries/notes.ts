import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { NoteAnswer } from '../../api/notes/notes.ts';
import { sendJson } from './fetchJson.ts';

/** Notes something on the axes of time. */
export function useWriteNote() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ at, ...note }: { at: number; text: string; path: string; by: string }) =>
      sendJson<NoteAnswer>('POST', '/api/notes', { ...note, at: new Date(at).toISOString() }),
    onSettled: () => client.invalidateQueries({ queryKey: ['ribbon'] }),
  });
}

export function useDropNote() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (id: number) => sendJson('POST', '/api/notes/removal', { id }),
    onSettled: () => client.invalidateQueries({ queryKey: ['ribbon'] }),
  });
}
