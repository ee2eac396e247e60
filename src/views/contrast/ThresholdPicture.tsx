import { scaleLog } from 'd3-scale';
import { type PointerEvent, useState } from 'react';
import type { ContrastAnswer } from '../../api/contrast/contrast.ts';
import { formatDuration } from '../../core/time/duration.ts';
import styles from './Contrast.module.css';

const WIDTH = 300;
const HEIGHT = 70;
const BINS_AN_OCTAVE = 3;

/** How many requests took how long; drag the line to where slow begins. */
export function ThresholdPicture({ answer, pick }: { answer: ContrastAnswer | undefined; pick: (ns: number) => void }) {
  const [dragged, setDragged] = useState<number>();
  const any = answer && [...answer.rows, ...answer.maybe][0];
  if (!answer || !any || any.withSet.length + any.withoutSet.length === 0) return null;
  const counts = new Map<number, number>();
  for (const [bin, a, b] of [...any.withSet, ...any.withoutSet]) counts.set(bin, (counts.get(bin) ?? 0) + a + b);
  const bins = [...counts.keys()];
  const [first, last] = [Math.min(...bins), Math.max(...bins) + 1];
  const at = (bin: number) => 2 ** (bin / BINS_AN_OCTAVE);
  const x = scaleLog()
    .domain([at(first), at(last)])
    .range([0, WIDTH])
    .clamp(true);
  const most = Math.max(...counts.values());
  const threshold = dragged ?? answer.overNs ?? at(last);
  const under = (event: PointerEvent<SVGSVGElement>) =>
    x.invert(event.clientX - event.currentTarget.getBoundingClientRect().left);
  return (
    <svg
      width={WIDTH}
      height={HEIGHT + 16}
      className={styles.threshold}
      role="img"
      aria-label={`Durations from ${formatDuration(at(first))} to ${formatDuration(at(last))}; slow from ${formatDuration(threshold)}`}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        setDragged(under(event));
      }}
      onPointerMove={(event) => {
        if (event.buttons !== 0) setDragged(under(event));
      }}
      onPointerUp={(event) => pick(under(event))}
    >
      {[...counts].map(([bin, count]) => {
        const height = Math.sqrt(count / most) * HEIGHT;
        return (
          <rect
            key={bin}
            className={at(bin + 0.5) >= threshold ? styles.ofA : styles.ofB}
            x={x(at(bin))}
            width={Math.max(1, x(at(bin + 1)) - x(at(bin)) - 1)}
            y={HEIGHT - height}
            height={height}
          />
        );
      })}
      <line className={styles.handle} x1={x(threshold)} x2={x(threshold)} y1={0} y2={HEIGHT} />
      <text x={Math.min(WIDTH - 50, x(threshold) + 4)} y={HEIGHT + 13}>
        {formatDuration(threshold)}
      </text>
    </svg>
  );
}
