import styles from './Intake.module.css';

const WIDTH = 180;
const HEIGHT = 22;

/** Counts by the minute as bars, the present minute last. */
export function MinuteBars({ perMinute, label }: { perMinute: readonly number[]; label: string }) {
  const most = Math.max(1, ...perMinute);
  const step = WIDTH / perMinute.length;
  return (
    <svg className={styles.bars} width={WIDTH} height={HEIGHT} role="img" aria-label={label}>
      <line x1={0} x2={WIDTH} y1={HEIGHT - 0.5} y2={HEIGHT - 0.5} />
      {perMinute.map((count, minute) => {
        if (count === 0) return null;
        const height = Math.max(1.5, (count / most) * (HEIGHT - 2));
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: a minute is its place
          <rect key={minute} x={minute * step} y={HEIGHT - height} width={Math.max(1, step - 0.8)} height={height} />
        );
      })}
    </svg>
  );
}
