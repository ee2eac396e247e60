import type { scaleLinear } from 'd3-scale';
import { type PointerEvent, useState } from 'react';
import { shortDuration } from '../../../core/time/duration.ts';
import styles from './Axis.module.css';

interface AxisProps {
  readonly x: ReturnType<typeof scaleLinear<number, number>>;
  readonly width: number;
  readonly onZoom: (range: readonly [number, number] | undefined) => void;
}

/** The time axis; a drag along it zooms in, a double click out. */
export function Axis({ x, width, onZoom }: AxisProps) {
  const [drag, setDrag] = useState<{ from: number; to: number }>();
  const xOf = (event: PointerEvent) => event.clientX - event.currentTarget.getBoundingClientRect().left;
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the keys z and 0 zoom without a pointer
    <div
      className={styles.axis}
      title="Drag to zoom in, double click for the whole"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        setDrag({ from: xOf(event), to: xOf(event) });
      }}
      onPointerMove={(event) => drag && setDrag({ ...drag, to: xOf(event) })}
      onPointerUp={() => {
        if (drag && Math.abs(drag.to - drag.from) > 4)
          onZoom([x.invert(Math.min(drag.from, drag.to)), x.invert(Math.max(drag.from, drag.to))]);
        setDrag(undefined);
      }}
      onDoubleClick={() => onZoom(undefined)}
    >
      <svg width={width} height={24} aria-hidden="true">
        {x.ticks(8).map((tick) => (
          <g key={tick} transform={`translate(${x(tick)},0)`}>
            <line y1={18} y2={24} />
            <text x={3} y={15}>
              {shortDuration(tick)}
            </text>
          </g>
        ))}
        {drag && (
          <rect x={Math.min(drag.from, drag.to)} width={Math.abs(drag.to - drag.from)} height={24} className={styles.drag} />
        )}
      </svg>
    </div>
  );
}
