import { useIsFetching, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { Progress } from '../../api/progress.ts';
import { fetchJson } from '../queries/fetchJson.ts';
import { openQuestions } from '../queries/questions.ts';
import styles from './Frame.module.css';

/** What takes longer than this is said, and can be stopped. */
const LONG_MS = 1_500;
/** How often it is asked how far it is. */
const ASKED_MS = 600;
/** Questions that are asked about at a time. */
const MOST = 20;

/** Says that questions of the page take long, how far the one is that takes longest, and stops them. */
export function LongWork() {
  const count = useIsFetching();
  const client = useQueryClient();
  const [isLong, setLong] = useState(false);
  const [done, setDone] = useState<number>();
  const isBusy = count > 0;
  useEffect(() => {
    setLong(false);
    setDone(undefined);
    if (!isBusy) return;
    const controller = new AbortController();
    let timer: ReturnType<typeof setTimeout>;
    const look = async () => {
      setLong(true);
      const questions = openQuestions().slice(0, MOST);
      if (questions.length > 0) {
        const told = await fetchJson<Progress>('/api/progress', { questions: questions.join(',') }, controller.signal).catch(
          () => undefined,
        );
        if (controller.signal.aborted) return;
        const known = told?.done.filter((it) => it !== null) ?? [];
        setDone(known.length > 0 ? Math.min(...known) : undefined);
      }
      timer = setTimeout(() => void look(), ASKED_MS);
    };
    timer = setTimeout(() => void look(), LONG_MS);
    return () => {
      controller.abort();
      clearTimeout(timer);
    };
  }, [isBusy]);
  if (!isLong) return null;
  return (
    <p className={styles.filling} role="status">
      Working: {count} {count === 1 ? 'part' : 'parts'} of this page to come
      {done !== undefined && `, ${Math.round(100 * done)} % done`}.
      <button type="button" onClick={() => void client.cancelQueries()}>
        stop
      </button>
    </p>
  );
}
