import styles from './Logs.module.css';

/** What each range of severity is known by: a shape of its own beside the word, never colour alone. */
const MARKS: Readonly<Record<string, string>> = { fatal: '⬢', error: '✕', warn: '◮', info: '', debug: '', trace: '', none: '' };

export function SeverityMark({ severity }: { severity: string }) {
  const mark = MARKS[severity] ?? '';
  return (
    <span className={styles.mark} data-severity={severity} title={severity} role="img" aria-label={severity}>
      {mark}
    </span>
  );
}
