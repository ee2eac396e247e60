import { useElementSize } from '@mantine/hooks';
import { useId } from 'react';
import { formatSessions } from '../../core/database/words.ts';
import { clockTime, timeTicks } from '../../core/time/clock.ts';
import { DragToLight } from '../../ui/charts/DragToLight.tsx';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Pools.module.css';

interface LaneFrame {
  readonly from: number;
  readonly to: number;
  readonly lit: { readonly from: number; readonly to: number };
  /** Things that moved in this lane, numbered in the order of all. */
  readonly marks: readonly { readonly at: number; readonly number: number }[];
  readonly height: number;
  readonly times?: boolean;
}

const LEFT = 44;

interface LineLaneProps extends LaneFrame {
  readonly title: string;
  readonly note: string;
  readonly lines: readonly {
    readonly name: string;
    readonly main: boolean;
    readonly points: readonly (readonly [number, number | null])[];
  }[];
  /** What it was before, as a dashed line. */
  readonly before: number | null;
  readonly format: (value: number) => string;
  readonly log?: boolean;
}

/** A measure over time, with the number of its place in the order of what moved. */
export function LineLane({ title, note, lines, before, format, log = false, ...frame }: LineLaneProps) {
  const { ref, width } = useElementSize();
  const values = [...lines.flatMap(({ points }) => points.flatMap(([, value]) => value ?? [])), ...(before ? [before] : [])];
  const positive = values.filter((value) => value > 0);
  const [low, high] = log ? [Math.min(...positive, 1), Math.max(...positive, 1e-3)] : [0, Math.max(...values, 1e-9)];
  const inner = frame.height - (frame.times ? 16 : 4);
  const y = (value: number) =>
    log
      ? inner - ((inner - 8) * Math.log(Math.max(value, low) / low)) / Math.max(1e-9, Math.log(high / low))
      : inner - ((inner - 8) * value) / high;
  return (
    <div className={styles.lane}>
      <h3>
        {title} <span className="mono">{note}</span>
      </h3>
      <div ref={ref} style={{ height: frame.height }}>
        <Lane width={width || 420} {...frame} label={`${title}, ${note}`}>
          {(x) => (
            <>
              {(log ? [low, high] : [high]).map((value) => (
                <text key={value} className={styles.scale} x={LEFT - 5} y={y(value) + 3}>
                  {format(value)}
                </text>
              ))}
              {before !== null && before > 0 && (
                <line className={styles.before} x1={x(frame.lit.from)} x2={x(frame.lit.to)} y1={y(before)} y2={y(before)} />
              )}
              {lines.map(({ name, main, points }) => (
                <path
                  key={name}
                  className={styles.line}
                  data-main={main}
                  d={pathOf(
                    points.map(([at, value]) => [x(at + 30_000), value === null || (log && value <= 0) ? null : y(value)]),
                  )}
                />
              ))}
            </>
          )}
        </Lane>
      </div>
    </div>
  );
}

interface UseLaneProps extends LaneFrame {
  readonly title: string;
  readonly note: string;
  readonly minutes: readonly {
    readonly at: number;
    readonly size: number | null;
    readonly used: number | null;
    readonly pending: number | null;
  }[];
}

/** The connections of one instance in use, above the line against its size; requests that wait for one hang below. */
export function UseLane({ title, note, minutes, ...frame }: UseLaneProps) {
  const { ref, width } = useElementSize();
  const hatch = useId();
  const top = Math.max(1, ...minutes.map(({ size, used }) => Math.max(size ?? 0, used ?? 0)));
  const bottom = Math.max(top * 0.25, ...minutes.map(({ pending }) => pending ?? 0));
  const inner = frame.height - (frame.times ? 16 : 2);
  // Very many that wait must not press the connections flat.
  const middle = inner * Math.max(0.3, top / (top + bottom));
  const up = (value: number) => middle - ((middle - 6) * value) / top;
  const down = (value: number) => middle + ((inner - middle - 2) * value) / bottom;
  return (
    <div className={styles.lane}>
      <h3>
        {title} <span className="mono">{note}</span>
      </h3>
      <div ref={ref} style={{ height: frame.height }}>
        <Lane width={width || 420} {...frame} label={`${title}: connections in use and requests waiting, ${note}`}>
          {(x) => {
            const step = Math.max(1, x(frame.from + 60_000) - x(frame.from));
            return (
              <>
                <defs>
                  <pattern id={hatch} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)">
                    <line x1="0" y1="0" x2="0" y2="6" className={styles.hatch} />
                  </pattern>
                </defs>
                <text className={styles.scale} x={LEFT - 5} y={up(top) + 4}>
                  {formatSessions(top)}
                </text>
                <text className={styles.scale} x={LEFT - 5} y={down(bottom)}>
                  {formatSessions(bottom)}
                </text>
                <path
                  className={styles.used}
                  d={minutes.map(({ at, used }) => (used ? bar(x(at), step, up(used), middle) : '')).join('')}
                />
                {['', `url(#${hatch})`].map((fill) => (
                  <path
                    key={fill}
                    className={styles.pending}
                    style={fill ? { fill } : undefined}
                    d={minutes.map(({ at, pending }) => (pending ? bar(x(at), step, middle, down(pending)) : '')).join('')}
                  />
                ))}
                <line className={styles.water} x1={LEFT} x2={width || 420} y1={middle} y2={middle} />
                <path
                  className={styles.size}
                  d={minutes
                    .map(({ at, size }, index) =>
                      size === null
                        ? ''
                        : `${index === 0 ? 'M' : 'L'}${x(at).toFixed(1)} ${up(size).toFixed(1)}h${step.toFixed(1)}`,
                    )
                    .join('')}
                />
              </>
            );
          }}
        </Lane>
      </div>
    </div>
  );
}

function bar(x: number, width: number, top: number, bottom: number): string {
  return `M${x.toFixed(1)} ${top.toFixed(1)}h${(width + 0.3).toFixed(1)}V${bottom.toFixed(1)}h${(-width - 0.3).toFixed(1)}z`;
}

function pathOf(points: readonly (readonly [number, number | null])[]): string {
  let isOpen = false;
  return points
    .map(([x, y]) => {
      if (y === null) {
        isOpen = false;
        return '';
      }
      const step = `${isOpen ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`;
      isOpen = true;
      return step;
    })
    .join('');
}

function Lane({
  width,
  height,
  from,
  to,
  lit,
  marks,
  times = false,
  label,
  children,
}: LaneFrame & {
  readonly width: number;
  readonly label: string;
  readonly children: (x: (at: number) => number) => React.ReactNode;
}) {
  const zone = useZone();
  const x = (at: number) => LEFT + ((width - LEFT) * (Math.min(Math.max(at, from), to) - from)) / Math.max(1, to - from);
  const inner = height - (times ? 16 : 0);
  return (
    <DragToLight from={from} to={to} left={LEFT}>
      <svg width={width} height={height} role="img" aria-label={label}>
        <rect className={styles.lit} x={x(lit.from)} width={Math.max(1, x(lit.to) - x(lit.from))} y={0} height={inner} />
        {children(x)}
        {[lit.from, lit.to].map((edge) => (
          <line key={edge} className={styles.edge} x1={x(edge)} x2={x(edge)} y1={0} y2={inner} />
        ))}
        {marks.map(({ at, number }) => (
          <g key={number} className={styles.mark}>
            <line x1={x(at)} x2={x(at)} y1={0} y2={inner} />
            <circle cx={x(at)} cy={inner / 2} r={8} />
            <text x={x(at)} y={inner / 2 + 3.5}>
              {number}
            </text>
          </g>
        ))}
        {times &&
          timeTicks(from, to, 5, zone).map((tick) => (
            <text key={tick} className={styles.time} x={x(tick)} y={height - 3}>
              {clockTime(tick, zone)}
            </text>
          ))}
      </svg>
    </DragToLight>
  );
}
