import { useElementSize, useMergedRef } from '@mantine/hooks';
import { max } from 'd3-array';
import { scaleLog } from 'd3-scale';
import { type PointerEvent, useId, useRef, useState } from 'react';
import type { TraceOverview } from '../../api/traces/overview.ts';
import { formatDuration, shortDuration } from '../../core/time/duration.ts';
import styles from './DurationPicture.module.css';

const HEIGHT = 104;
const BASE = 86;
const TOP = 20;
const DECADES = [1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13];
/** Between two ticks, pixels. */
const TICK_WIDE = 52;
const PER_OCTAVE = 4;
const atStep = (step: number) => 2 ** (step / PER_OCTAVE);

interface DurationPictureProps {
  readonly overview: TraceOverview | undefined;
  /** Called with the durations between which a drag ended, nanoseconds; undefined where it left the picture. */
  readonly narrow: (least: number | undefined, most: number | undefined) => void;
}

/** How long requests took, on a log axis; a drag across narrows to what lies between. */
export function DurationPicture({ overview, narrow }: DurationPictureProps) {
  const hatch = useId();
  const { ref: sized, width: measured } = useElementSize<HTMLDivElement>();
  const surface = useRef<HTMLDivElement>(null);
  const ref = useMergedRef(sized, surface);
  const width = measured || 872;
  const [drag, setDrag] = useState<{ from: number; to: number }>();
  if (!overview) return <div className={styles.picture} style={{ height: HEIGHT }} aria-hidden="true" />;

  const { durations } = overview;
  const first = durations[0]?.step ?? 0;
  const last = durations.at(-1)?.step ?? 0;
  const x = scaleLog([atStep(first - 1), atStep(last + 2)], [0, width]);
  const most = max(durations, (it) => it.count) ?? 1;
  // The square root keeps the rare slow ones in sight beside thousands of fast ones.
  const y = (count: number) => BASE - Math.sqrt(count / most) * (BASE - TOP);
  const marks = [
    ['p50', overview.p50Ns],
    ['p95', overview.p95Ns],
    ['p99', overview.p99Ns],
  ] as const;

  const xOf = (event: PointerEvent) => event.clientX - (surface.current?.getBoundingClientRect().left ?? 0);
  const done = () => {
    if (drag && Math.abs(drag.to - drag.from) > 4) {
      const [left, right] = [Math.min(drag.from, drag.to), Math.max(drag.from, drag.to)];
      narrow(left <= 0 ? undefined : round(x.invert(left)), right >= width ? undefined : round(x.invert(right)));
    }
    setDrag(undefined);
  };
  let taken = Number.NEGATIVE_INFINITY;
  return (
    <div
      ref={ref}
      className={styles.picture}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        setDrag({ from: xOf(event), to: xOf(event) });
      }}
      onPointerMove={(event) => drag && setDrag({ ...drag, to: xOf(event) })}
      onPointerUp={done}
      onPointerCancel={() => setDrag(undefined)}
    >
      <svg width={width} height={HEIGHT} role="img" aria-label={description(overview)}>
        <pattern id={hatch} width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="2" height="4" className={styles.failed} />
        </pattern>
        {durations.map(({ step, count, failed }) => {
          const left = x(atStep(step));
          const wide = Math.max(1, x(atStep(step + 1)) - left - 1);
          const top = y(count);
          const failedHigh = ((BASE - top) * failed) / count;
          return (
            <g key={step}>
              <title>
                {`${formatDuration(atStep(step))} to ${formatDuration(atStep(step + 1))}: ${count.toLocaleString('en')} requests, ${failed} with a failure`}
              </title>
              <rect x={left} y={0} width={wide + 1} height={BASE} fill="transparent" />
              <rect x={left} y={top} width={wide} height={BASE - top} className={styles.bar} />
              <rect x={left} y={BASE - failedHigh} width={wide} height={failedHigh} fill={`url(#${hatch})`} />
            </g>
          );
        })}
        <line x1={0} x2={width} y1={BASE + 0.5} y2={BASE + 0.5} className={styles.base} />
        {ticksOf(x, width).map((at) => (
          <text key={at} x={x(at)} y={HEIGHT - 4} className={styles.tick}>
            {shortDuration(at)}
          </text>
        ))}
        {marks.map(([name, value]) => {
          if (value === null) return null;
          const at = x(value);
          const text = `${name} ${formatDuration(value)}`;
          // Marks that come too near each other share a line of text badly: the later one goes lower.
          const low = at < taken;
          const long = text.length * 6.7 + 8;
          const before = at + long > width;
          taken = at + long;
          return (
            <g key={name}>
              <line x1={at} x2={at} y1={4} y2={BASE} className={styles.mark} />
              <text
                x={before ? at - 4 : at + 4}
                y={low ? 26 : 13}
                textAnchor={before ? 'end' : 'start'}
                className={styles.markText}
              >
                {text}
              </text>
            </g>
          );
        })}
        {drag && (
          <rect
            x={Math.min(drag.from, drag.to)}
            y={0}
            width={Math.abs(drag.to - drag.from)}
            height={BASE}
            className={styles.chosen}
          />
        )}
      </svg>
    </div>
  );
}

/** Powers of ten; where few are in sight, their doubles and fives too. */
function ticksOf(x: (ns: number) => number, width: number): number[] {
  const inSight = (ticks: number[]) => ticks.filter((at) => x(at) >= 0 && x(at) < width - TICK_WIDE / 2);
  const decades = inSight(DECADES);
  return decades.length > 2 ? decades : inSight(DECADES.flatMap((at) => [at, 2 * at, 5 * at]));
}

/** Three digits are as exact as a drag is. */
function round(ns: number): number {
  const size = 10 ** (Math.floor(Math.log10(ns)) - 2);
  return Math.round(Math.round(ns / size) * size);
}

function description({ count, p50Ns, p95Ns, p99Ns }: TraceOverview): string {
  const words = [p50Ns, p95Ns, p99Ns].map((ns) => formatDuration(ns ?? 0));
  return `Durations of ${count} requests: p50 ${words[0]}, p95 ${words[1]}, p99 ${words[2]}`;
}
