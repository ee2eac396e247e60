import type { ContrastRow } from '../../api/contrast/contrast.ts';
import { formatDuration } from '../../core/time/duration.ts';
import styles from './Contrast.module.css';

const WIDTH = 108;
const HALF = 11;
const BINS_AN_OCTAVE = 3;

/** Durations of the requests with a set above and of those without it below, each to its own height; those of A gold, those of B periwinkle. */
export function SetSpread({ row, range, name }: { row: ContrastRow; range: readonly [number, number]; name: string }) {
  const [first, last] = range;
  const bins = Math.max(1, last - first + 1);
  const wide = WIDTH / bins;
  const draw = (spread: ContrastRow['withSet'], side: -1 | 1) => {
    const most = Math.max(1, ...spread.map(([, a, b]) => a + b));
    return spread.map(([bin, a, b]) => {
      const x = (bin - first) * wide;
      const [ofA, ofB] = [a, b].map((count) => Math.sqrt((a + b) / most) * HALF * (count / (a + b)));
      return (
        <g key={bin}>
          <rect className={styles.ofB} x={x} width={Math.max(1, wide - 0.5)} y={side < 0 ? HALF - ofB : HALF + 1} height={ofB} />
          <rect
            className={styles.ofA}
            x={x}
            width={Math.max(1, wide - 0.5)}
            y={side < 0 ? HALF - ofB - ofA : HALF + 1 + ofB}
            height={ofA}
          />
        </g>
      );
    });
  };
  const at = (bin: number) => formatDuration(2 ** (bin / BINS_AN_OCTAVE));
  const words = `${name}: with it above, without it below, ${at(first)} to ${at(last + 1)}`;
  return (
    <svg width={WIDTH} height={2 * HALF + 1} role="img" aria-label={words} data-picture="spread">
      <title>{`${words}; gold is A, periwinkle is B; heights are square roots of shares`}</title>
      <line x1={0} x2={WIDTH} y1={HALF + 0.5} y2={HALF + 0.5} className={styles.axis} />
      {draw(row.withSet, -1)}
      {draw(row.withoutSet, 1)}
    </svg>
  );
}

/** The bins that the spreads of all rows lie in. */
export function spreadRange(rows: readonly ContrastRow[]): [number, number] {
  const bins = rows.flatMap(({ withSet, withoutSet }) => [...withSet, ...withoutSet].map(([bin]) => bin));
  return bins.length === 0 ? [0, 1] : [Math.min(...bins), Math.max(...bins)];
}
