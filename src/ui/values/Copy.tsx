import { useEffect, useState } from 'react';
import styles from './Values.module.css';

/** Copies a text, and says that it did. @param what it is, for those who hear it */
export function Copy({ text, what }: { text: string; what: string }) {
  const [copied, setCopied] = useState(false);
  useEffect(() => {
    if (!copied) return;
    const timer = setTimeout(() => setCopied(false), 1500);
    return () => clearTimeout(timer);
  }, [copied]);
  return (
    <button
      type="button"
      className={styles.copyText}
      aria-label={`Copy ${what}`}
      onClick={() => void navigator.clipboard?.writeText(text).then(() => setCopied(true))}
    >
      {copied ? 'copied' : 'copy'}
    </button>
  );
}
