import { useEffect, useState } from 'react';
import { StateGlyph } from '../list/StateGlyph.tsx';
import styles from './Frame.module.css';

/** Says that the window was widened to hold what was asked for; once, so that the address that is copied does not say it again. */
export function WidenedNote() {
  const [shown, setShown] = useState(false);
  useEffect(() => {
    // The scope has taken the address over by now; the mark is what it came with.
    const came = new URL(performance.getEntriesByType('navigation')[0]?.name ?? location.href);
    setShown(came.searchParams.get('widened') === 'yes');
  }, []);
  if (!shown) return null;
  return (
    <p className={styles.filling} role="status">
      <StateGlyph state="unknown" word="" /> The lit window was widened to hold what you asked for.
      <button type="button" onClick={() => setShown(false)}>
        ok
      </button>
    </p>
  );
}
