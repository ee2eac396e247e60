import styles from './Contrast.module.css';
import type { Part } from './rows.ts';
import { shareWords } from './words.ts';

interface PartBarProps {
  readonly part: Part;
  /** What 100 % is. */
  readonly whole: number;
  /** Whether it may be nothing. */
  readonly faint: boolean;
  readonly wide: number;
}

/** What a set explains as a bar: solid what behaves otherwise, dotted what there is more of; a bracket for the range. */
export function PartBar({ part, whole, faint, wide }: PartBarProps) {
  // When all is peeled off, nothing is left that could be a part.
  const share = (value: number) => (whole > 0 ? Math.max(0, Math.min(1, value / whole)) : 0);
  const length = share(part.amount);
  const [behaviour, mix] = [Math.max(0, part.behaviour), Math.max(0, part.mix)];
  const solid = behaviour + mix > 0 ? length * (behaviour / (behaviour + mix)) : length;
  const [from, to] = part.range.map(share);
  const hasRange = to - from > 0.001;
  return (
    <svg width={wide} height={14} className={styles.part} data-faint={faint} aria-hidden="true">
      <rect className={styles.ground} width={wide} height={14} rx={3} />
      <rect className={styles.solid} width={solid * wide} height={14} rx={2} />
      <rect className={styles.dotted} x={solid * wide} width={(length - solid) * wide} height={14} />
      {hasRange && (
        <path className={styles.range} d={`M${from * wide + 0.5} 3v8M${to * wide - 0.5} 3v8M${from * wide} 7H${to * wide}`}>
          <title>{`${shareWords(part.range[0] / whole)} to ${shareWords(part.range[1] / whole)}, 95 times in 100`}</title>
        </path>
      )}
    </svg>
  );
}
