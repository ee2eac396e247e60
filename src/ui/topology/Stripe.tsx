import type { TimeParts } from './stripes.ts';
import styles from './Topology.module.css';

/** Where time goes, as a stripe of parts. */
export function Stripe({ parts }: { parts: TimeParts }) {
  return (
    <span className={styles.stripe} data-stripe="" aria-hidden="true">
      {parts.map(({ key, share, colour }) => (
        <i key={key} style={{ flexGrow: share, background: colour }} />
      ))}
    </span>
  );
}
