import type { ReactNode } from 'react';
import styles from './SignIn.module.css';

/** What stands around the way in: nothing of what is inside is shown, or asked for. */
export function Shell({ title, words, children }: { title: string; words: ReactNode; children: ReactNode }) {
  return (
    <main className={styles.page}>
      <div className={styles.card}>
        <div className={styles.mark}>
          <svg viewBox="0 0 32 32" width="36" height="36" fill="none" stroke="currentColor" strokeWidth="1.6" aria-hidden="true">
            <path d="M16 4v4M11 10h10l2 13H9zM8 26h16" strokeLinejoin="round" strokeLinecap="round" />
            <circle className={styles.flame} cx="16" cy="17" r="2.6" stroke="none" />
          </svg>
          Dusk Lantern
        </div>
        <h1>{title}</h1>
        <p className={styles.words}>{words}</p>
        {children}
      </div>
    </main>
  );
}

interface FieldProps {
  readonly label: string;
  readonly type?: 'text' | 'email' | 'password';
  readonly value: string;
  readonly set: (value: string) => void;
  /** What a password manager knows it by. */
  readonly autoComplete: string;
  readonly autoFocus?: boolean;
  readonly inputMode?: 'numeric';
}

export function Field({ label, type = 'text', value, set, autoComplete, autoFocus, inputMode }: FieldProps) {
  return (
    <label className={styles.field}>
      {label}
      <input
        type={type}
        value={value}
        required
        autoComplete={autoComplete}
        inputMode={inputMode}
        // biome-ignore lint/a11y/noAutofocus: the page has this one purpose, and who opens it is about to type
        autoFocus={autoFocus}
        onChange={(event) => set(event.currentTarget.value)}
      />
    </label>
  );
}
