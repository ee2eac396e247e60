import styles from './Stripe.module.css';

/** Parts of a stripe, as they are drawn from left to right. */
export type StripeParts = readonly { readonly key: string; readonly share: number; readonly colour: string }[];

/** Parts thinner than this are left out. */
const THINNEST = 0.005;

/** Parts of a whole as a stripe; the words beside it say the same. */
export function Stripe({ parts, high = false }: { parts: StripeParts; high?: boolean }) {
  return (
    <span className={styles.stripe} data-stripe="" data-high={high} aria-hidden="true">
      {parts
        .filter(({ share }) => share >= THINNEST)
        .map(({ key, share, colour }) => (
          <i key={key} title={key} style={{ flexGrow: share, background: colour }} />
        ))}
    </span>
  );
}
