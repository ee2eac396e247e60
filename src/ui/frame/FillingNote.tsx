import { useFilling } from '../queries/intake.ts';
import styles from './Frame.module.css';

/** Says that earlier data is still being filled in, and how far that is. */
export function FillingNote() {
  const filling = useFilling().data?.filling;
  if (!filling) return null;
  const percent = Math.floor(100 * filling.share);
  return (
    <div className={styles.filling} role="status">
      <span>
        {filling.what}: {percent} %
      </span>
      <progress max={100} value={percent} aria-label={filling.what} className={styles.fillingBar} />
    </div>
  );
}
