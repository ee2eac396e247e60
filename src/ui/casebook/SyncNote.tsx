import styles from './Casebook.module.css';
import type { LiveCase } from './caseSync.ts';

/** Whether what was written is stored, and who else is here. */
export function SyncNote({ live: { standing, refused, here } }: { live: LiveCase }) {
  return (
    <span className={styles.sync} role="status">
      {refused !== '' ? (
        <b role="alert">Not stored: {refused}</b>
      ) : standing === 'kept here' ? (
        <b>The application cannot be reached. What you write is kept in this tab and sent when it is back.</b>
      ) : standing === 'saving' ? (
        'saving …'
      ) : (
        'saved'
      )}
      {here.length > 0 && ` · ${here.join(', ')} ${here.length === 1 ? 'is' : 'are'} here`}
    </span>
  );
}
