import { line } from 'd3-shape';
import type { ContrastMoved } from '../../api/contrast/moved.ts';
import styles from './Contrast.module.css';

const WIDTH = 44;
const HEIGHT = 14;

/** A measure's values before, dashed, and lit, each over its own time, on one scale; the line that moved most. */
export function Curves({ measure }: { measure: ContrastMoved['measures'][number] }) {
  const of = measure.lines.find(({ turn }) => turn === measure.turn) ?? measure.lines[0];
  if (!of) return null;
  const values = [...of.before, ...of.lit].map(([, value]) => value);
  const [least, most] = [Math.min(...values), Math.max(...values)];
  const path = (points: readonly (readonly [number, number])[]) => {
    if (points.length < 2) return undefined;
    const [from, to] = [points[0][0], points[points.length - 1][0]];
    return line<readonly [number, number]>(
      ([at]) => (WIDTH * (at - from)) / Math.max(1, to - from),
      ([, value]) => HEIGHT - 1 - ((HEIGHT - 2) * (value - least)) / Math.max(1e-12, most - least),
    )([...points]);
  };
  return (
    <svg width={WIDTH} height={HEIGHT} aria-hidden="true" className={styles.curves}>
      <title>{of.of}</title>
      <path className={styles.curveBefore} d={path(of.before) ?? undefined} />
      <path className={styles.curveLit} d={path(of.lit) ?? undefined} />
    </svg>
  );
}
