import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { AnswerError } from '../../ui/queries/fetchJson.ts';

/** In the place of what could not be had: because it is not for who asks, or for another reason; while it is waited for, nothing. */
export function NotShown({ error, retry }: { error: Error | null; retry: () => void }) {
  if (!error) return null;
  const isDenied = error instanceof AnswerError && error.status === 403;
  return (
    <Emptiness
      title={isDenied ? 'This page is for administrators' : 'This cannot be shown now'}
      words={error.message}
      actions={isDenied ? [] : [{ label: 'Try again', act: retry }]}
    />
  );
}
