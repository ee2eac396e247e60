import styles from './Emptiness.module.css';

interface EmptinessProps {
  readonly title: string;
  readonly words: string;
  readonly actions: readonly { readonly label: string; readonly act: () => void }[];
}

/** Where there is nothing to show: why, and the way out. */
export function Emptiness({ title, words, actions }: EmptinessProps) {
  return (
    <div className={styles.empty} role="status">
      <h2>{title}</h2>
      <p>{words}</p>
      <div>
        {actions.map(({ label, act }) => (
          <button key={label} type="button" onClick={act}>
            {label}
          </button>
        ))}
      </div>
    </div>
  );
}
