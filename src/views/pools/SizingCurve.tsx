import type { PoolDetail } from '../../api/pools/pool.ts';
import { formatWait } from '../../core/pools/words.ts';
import { verdictOf } from './lanes.ts';
import styles from './Pools.module.css';

interface SizingCurveProps {
  readonly answer: PoolDetail;
  readonly tried: number;
  readonly choose: (size: number) => void;
}

const WIDTH = 360;
const HEIGHT = 300;
const LEFT = 52;
const TOP = 12;
/** Below this nobody waits that would notice: the foot of the axis, seconds. */
const LEAST = 0.001;

const VERDICTS = { backlog: 'backlog', late: 'late', enough: 'enough', idle: 'idle connections' } as const;

/** How long is waited at each size, by a replay of what was measured; the verdict on each size beneath. */
export function SizingCurve({ answer, tried, choose }: SizingCurveProps) {
  const { sizing, lit, target, measured } = answer;
  const { points } = sizing.lit;
  const largest = points.at(-1)?.size ?? 1;
  const highest = Math.max(
    ...points.filter(({ size }) => size >= sizing.lit.least).map(({ p99 }) => p99),
    target * 4,
    ...measured,
  );
  const x = (size: number) => LEFT + ((WIDTH - LEFT - 10) * (size - 0.5)) / largest;
  const y = (wait: number) =>
    wait <= LEAST
      ? HEIGHT
      : TOP + ((HEIGHT - 14 - TOP) * Math.log(highest / Math.min(wait, highest))) / Math.log(highest / LEAST);
  const path = (of: typeof points, value: (it: (typeof points)[number]) => number) =>
    of.map((it, at) => `${at === 0 ? 'M' : 'L'}${x(it.size).toFixed(1)} ${y(value(it)).toFixed(1)}`).join('');
  const known = points.filter(({ size }) => size >= sizing.lit.least);
  const today = lit.size === null ? undefined : points.find(({ size }) => size === Math.round(lit.size!));
  const runs = (['backlog', 'late', 'enough', 'idle'] as const).map((verdict) => {
    const sizes = points.filter(({ size }) => verdictOf(size, sizing.lit) === verdict).map(({ size }) => size);
    return { verdict, from: sizes[0], to: sizes.at(-1) };
  });
  return (
    <figure className={styles.curve}>
      <figcaption>
        <h2>How many it takes</h2> <span className="dim">p95 wait by connections of an instance</span>
      </figcaption>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT + 44}`}
        role="img"
        aria-label="p95 wait by the size of the pool; the table behind it has the numbers"
      >
        {[0.001, 0.01, 0.1, 1, 10, 100]
          .filter((tick) => tick <= highest)
          .map((tick) => (
            <g key={tick}>
              <line className={styles.grid} x1={LEFT} x2={WIDTH - 10} y1={y(tick)} y2={y(tick)} />
              <text className={styles.scale} x={LEFT - 6} y={y(tick) + 3}>
                {tick <= LEAST ? 'none' : formatWait(tick)}
              </text>
            </g>
          ))}
        {sizing.lit.least > 1 && (
          <rect
            className={styles.backlog}
            x={LEFT}
            y={TOP}
            width={Math.max(0, x(sizing.lit.least - 0.5) - LEFT)}
            height={HEIGHT - TOP}
          >
            <title>more comes than so few can serve</title>
          </rect>
        )}
        <line className={styles.target} x1={LEFT} x2={WIDTH - 10} y1={y(target)} y2={y(target)} />
        <text className={styles.note} x={WIDTH - 12} y={y(target) - 5}>
          target {formatWait(target)}
        </text>
        <path
          className={styles.beforeCurve}
          d={path(
            sizing.before.points.filter(({ size }) => size >= sizing.before.least),
            (it) => it.p95,
          )}
        />
        <path className={styles.p99} d={path(known, (it) => it.p99)} />
        <path className={styles.p95} d={path(known, (it) => it.p95)} />
        {measured.map((wait, at) => (
          <line
            // biome-ignore lint/suspicious/noArrayIndexKey: a mark is its stretch of time
            key={at}
            className={styles.measured}
            x1={x(lit.size ?? 1) - 9}
            x2={x(lit.size ?? 1) - 3}
            y1={y(wait)}
            y2={y(wait)}
          />
        ))}
        {known.map((it) => (
          <g key={it.size} className={styles.point} data-tried={it.size === tried} onPointerDown={() => choose(it.size)}>
            <circle cx={x(it.size)} cy={y(it.p95)} r={it.size === tried ? 6 : 3} />
            <title>
              {it.size} connections: p95 {formatWait(it.p95)}, in the replays {formatWait(it.range[0])} to{' '}
              {formatWait(it.range[1])}
            </title>
          </g>
        ))}
        {today && (
          <text className={styles.today} x={Math.min(x(today.size) + 10, WIDTH - 120)} y={Math.max(TOP + 10, y(today.p95) - 8)}>
            {answer.worst ? 'then' : 'today'}, {today.size}: predicted {formatWait(today.p95)}
            <tspan x={Math.min(x(today.size) + 10, WIDTH - 120)} dy={13}>
              measured {formatWait(lit.waitP95)}
            </tspan>
          </text>
        )}
        {runs.map(
          ({ verdict, from, to }) =>
            from !== undefined &&
            to !== undefined && (
              <g key={verdict} className={styles.verdict} data-verdict={verdict}>
                <rect
                  x={x(from - 0.5) + 1}
                  width={Math.max(2, x(to + 0.5) - x(from - 0.5) - 2)}
                  y={HEIGHT + 8}
                  height={16}
                  rx={2}
                />
                {x(to + 0.5) - x(from - 0.5) > 40 && (
                  <text x={(x(from - 0.5) + x(to + 0.5)) / 2} y={HEIGHT + 20}>
                    {VERDICTS[verdict]}
                  </text>
                )}
              </g>
            ),
        )}
        {points
          .filter(({ size }) => size === 1 || size % 5 === 0 || size === tried)
          .map(({ size }) => (
            <text key={size} className={styles.time} x={x(size)} y={HEIGHT + 38}>
              {size}
            </text>
          ))}
      </svg>
      <p className={styles.key}>
        <i data-key="p95" /> lit hold times, p95 <i data-key="p99" /> p99 <i data-key="before" /> hold times of before{' '}
        <i data-key="measured" /> measured, 10 min each
      </p>
    </figure>
  );
}
