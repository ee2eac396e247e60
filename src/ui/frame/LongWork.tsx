import { useIsFetching, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import styles from './Frame.module.css';

/** What takes longer than this is said, and can be stopped. */
const LONG_MS = 2_500;

/** Says that questions of the page take long, and stops them. */
export function LongWork() {
  const count = useIsFetching();
  const client = useQueryClient();
  const [isLong, setLong] = useState(false);
  const isBusy = count > 0;
  useEffect(() => {
    setLong(false);
    if (!isBusy) return;
    const timer = setTimeout(() => setLong(true), LONG_MS);
    return () => clearTimeout(timer);
  }, [isBusy]);
  if (!isLong) return null;
  return (
    <p className={styles.filling} role="status">
      Working: {count} {count === 1 ? 'part' : 'parts'} of this page to come.
      <button type="button" onClick={() => void client.cancelQueries()}>
        stop
      </button>
    </p>
  );
}
