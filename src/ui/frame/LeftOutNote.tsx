import { useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { formatCount } from '../../core/measures/amount.ts';
import { StateGlyph } from '../list/StateGlyph.tsx';
import { useLeftOut } from '../state/leftOut.ts';
import styles from './Frame.module.css';

/** While columns are being built the page asks again after this. */
const AGAIN_MS = 4_000;

/** Says when the page is not of all requests of its scope, and why. */
export function LeftOutNote() {
  const { unread, building } = useLeftOut();
  const client = useQueryClient();
  useEffect(() => {
    if (building === 0) return;
    const timer = setInterval(() => void client.invalidateQueries(), AGAIN_MS);
    return () => clearInterval(timer);
  }, [building, client]);
  if (unread === 0 && building === 0) return null;
  return (
    <p className={styles.filling} role="status">
      <StateGlyph state="unknown" word="" />
      {building > 0
        ? `Not all requests yet: ${building} × 10 minutes of this window are still being indexed.`
        : `${formatCount(unread)} requests are left out so far: their spans have to be read to tell whether they fit.`}
      {building === 0 && (
        <button type="button" onClick={() => void client.invalidateQueries()}>
          read on
        </button>
      )}
    </p>
  );
}
