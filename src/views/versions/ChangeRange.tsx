import styles from './Versions.module.css';
import type { VersionOperation } from './words.ts';
import { timesWords } from './words.ts';

const WIDTH = 130;
const HEIGHT = 16;
/** From a quarter to four times as long, on a log axis. */
const REACH = Math.log(4);

/** How many times as long an operation takes, with the range that holds it 99 times in 100, about the line of "no difference". */
export function ChangeRange({ times, verdict }: Pick<VersionOperation, 'times' | 'verdict'>) {
  if (!times) return <span className="dim">–</span>;
  const x = (value: number) => (WIDTH / 2) * (1 + Math.max(-1, Math.min(1, Math.log(value) / REACH)));
  const [low, high] = times.range.map(x);
  return (
    <svg
      className={styles.range}
      width={WIDTH}
      height={HEIGHT}
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="img"
      data-verdict={verdict}
      aria-label={`${timesWords(times.value)}, 99 times in 100 from ${timesWords(times.range[0])} to ${timesWords(times.range[1])}`}
    >
      <line x1={WIDTH / 2} x2={WIDTH / 2} y1={1} y2={HEIGHT - 1} />
      <rect x={low} width={Math.max(2, high - low)} y={HEIGHT / 2 - 3} height={6} rx={3} />
      <circle cx={x(times.value)} cy={HEIGHT / 2} r={3} />
    </svg>
  );
}
