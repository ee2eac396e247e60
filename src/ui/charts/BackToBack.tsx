import { max } from 'd3-array';
import { formatDuration } from '../../core/time/duration.ts';
import styles from './BackToBack.module.css';

type Distribution = readonly (readonly [bucket: number, count: number])[];

interface BackToBackProps {
  readonly before: Distribution;
  readonly lit: Distribution;
  readonly name: string;
  /** Opens a lit request that took about so long, nanoseconds. */
  readonly open: (durationNs: number) => void;
}

const WIDTH = 190;
const HALF = 26;
/** Sketch buckets that make one bar: a third of an octave. */
const STEP = 5;
const PER_OCTAVE = 16;

/** Two distributions of durations back to back on a log axis, before above and lit below, each as shares of its own. */
export function BackToBack({ before, lit, name, open }: BackToBackProps) {
  const [up, down] = [binned(before), binned(lit)];
  const bins = [...up.keys(), ...down.keys()];
  if (bins.length === 0) return <svg width={WIDTH} height={2 * HALF + 2} aria-hidden="true" />;
  const first = Math.min(...bins);
  const last = Math.max(...bins, first + 11);
  const wide = WIDTH / (last - first + 1);
  const bar = (share: number, most: number) => Math.max(1, Math.sqrt(share / most) * (HALF - 2));
  const draw = (of: Map<number, number>, side: -1 | 1) => {
    const most = max(of.values()) ?? 1;
    return [...of].map(([bin, share]) => (
      <rect
        key={bin}
        x={(bin - first) * wide}
        y={side < 0 ? HALF - bar(share, most) : HALF + 1}
        width={Math.max(1, wide - 1)}
        height={bar(share, most)}
      />
    ));
  };
  const at = (bin: number) => formatDuration(2 ** ((bin * STEP) / PER_OCTAVE));
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the links of the row are the way by keyboard
    <svg
      width={WIDTH}
      height={2 * HALF + 2}
      onClick={(event) => {
        const bin = first + (event.clientX - event.currentTarget.getBoundingClientRect().left) / wide;
        open(2 ** ((bin * STEP) / PER_OCTAVE));
      }}
      role="img"
      aria-label={`${name}: durations before above, lit below, ${at(first)} to ${at(last + 1)}`}
      className={styles.spread}
      data-picture="distribution"
    >
      <title>{`${at(first)} to ${at(last + 1)}, before above, lit below; heights are square roots of shares; a click opens one that took so long`}</title>
      <line x1={0} x2={WIDTH} y1={HALF + 0.5} y2={HALF + 0.5} className={styles.axis} />
      <g className={styles.up}>{draw(up, -1)}</g>
      <g className={styles.down}>{draw(down, 1)}</g>
    </svg>
  );
}

function binned(distribution: Distribution): Map<number, number> {
  const bins = new Map<number, number>();
  const total = distribution.reduce((sum, [, count]) => sum + count, 0);
  for (const [bucket, count] of distribution) {
    const bin = Math.floor(bucket / STEP);
    bins.set(bin, (bins.get(bin) ?? 0) + count / total);
  }
  return bins;
}
