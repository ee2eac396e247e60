import type { LineSeries } from '../../api/logs/series.ts';
import { type LineGroup, lineGroups } from './lineGroups.ts';
import styles from './Ribbon.module.css';

interface LineStripsProps {
  readonly series: LineSeries;
  readonly x: (time: number) => number;
  readonly width: number;
  readonly top: number;
  readonly base: number;
  /** The id of what leaves the lit window alone. */
  readonly clip: string;
}

/** Lines over time, a strip for errors, warnings and the others, the errors lowest, where no flag is: each on a scale of its own, since the grave ones are the fewest. */
export function LineStrips({ series, x, width, top, base, clip }: LineStripsProps) {
  const groups = lineGroups(series);
  const height = (base - top) / groups.length;
  return groups.map((group, at) => (
    <g key={group.name} transform={`translate(0,${base - (at + 1) * height})`} data-group={group.name} className={styles.lines}>
      <path d={pathOf(group, series.stepMs, x, width, height - 2)} />
      <path d={pathOf(group, series.stepMs, x, width, height - 2)} className={styles.litLines} clipPath={`url(#${clip})`} />
    </g>
  ));
}

function pathOf({ most, values }: LineGroup, stepMs: number, x: (time: number) => number, width: number, height: number): string {
  return values
    .map(([at, count]) => {
      const [from, to] = [x(at), x(at + stepMs)];
      if (to < 0 || from > width || count === 0) return '';
      // One line among a thousand is seen.
      const y = height - Math.max(1.5, (count / most) * height);
      return `M${from.toFixed(1)},${height}V${y.toFixed(1)}H${to.toFixed(1)}V${height}Z`;
    })
    .join('');
}
