import type { LogStitch } from '../../api/logs/stitch.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import styles from './Stitched.module.css';
import { msWords, stepWords } from './words.ts';

interface LoomProps {
  readonly answer: LogStitch;
  readonly group: string;
  readonly open: (key: string) => void;
}

const WIDTH = 560;
const ROW = 52;
/** From a millisecond to six hours, on a log axis; beyond it stands what never came. */
const LEAST = 1;
const MOST = 6 * 3_600_000;
const NEVER = 26;
const TICKS = [
  [1, '1 ms'],
  [10, '10 ms'],
  [100, '100 ms'],
  [1_000, '1 s'],
  [10_000, '10 s'],
  [60_000, '1 min'],
  [600_000, '10 min'],
  [3_600_000, '1 h'],
] as const;

/** Where a time stands on the axis. */
export function placeOf(ms: number): number {
  const share = Math.log(Math.max(LEAST, Math.min(MOST, ms)) / LEAST) / Math.log(MOST / LEAST);
  return share * (WIDTH - NEVER);
}

/**
 * A line a step, a stitch a group where its time since the step before puts it, joined by a thread; the usual band behind. What never came
 * stands in the gutter on the right. The chosen ones are gold, the opened one is drawn over all.
 */
export function Loom({ answer: { steps, threads }, group, open }: LoomProps) {
  const height = steps.length * ROW;
  const y = (at: number) => at * ROW + ROW / 2;
  const path = (since: LogStitch['threads'][number]['since'], off: LogStitch['threads'][number]['off']) => {
    let line = '';
    for (const [at, ms] of since.entries()) {
      const isNever = off.some((it) => it.how === 'never' && it.at === at);
      if (ms === null && !isNever) continue;
      const x = isNever ? WIDTH - NEVER / 2 : placeOf(Math.max(0, ms!));
      const before = line === '' ? undefined : last;
      line += before
        ? ` C ${before[0].toFixed(1)} ${(before[1] + ROW * 0.45).toFixed(1)} ${x.toFixed(1)} ${(y(at) - ROW * 0.45).toFixed(1)} ${x.toFixed(1)} ${y(at)}`
        : `M ${x.toFixed(1)} ${y(at)}`;
      last = [x, y(at)];
    }
    return line;
  };
  let last: readonly [number, number] = [0, 0];
  const shown = [...threads].sort((a, b) => rankOf(a, group) - rankOf(b, group));
  return (
    <div className={styles.loom}>
      <div className={styles.axis}>
        <span>since the step that it follows</span>
        <div>
          {TICKS.map(([ms, words]) => (
            <span key={ms} style={{ left: `${(100 * placeOf(ms)) / WIDTH}%` }}>
              {words}
            </span>
          ))}
          <span style={{ left: `${(100 * (WIDTH - NEVER / 2)) / WIDTH}%` }}>never</span>
        </div>
        <span className={styles.figures}>
          <span>late</span>
          <span>never</span>
          <span>twice</span>
        </span>
      </div>
      <div className={styles.weave} style={{ height }}>
        <ol className={styles.steps}>
          {steps.map((step, at) => (
            <li
              key={step.step}
              style={{ height: ROW }}
              data-off={step.late + step.never + step.twice > 0}
              title={stepWords(step, 300)}
            >
              <b>
                <ServiceMark service={step.service} height={12} /> {stepWords(step, 62)}
              </b>
              <small>
                {step.service}
                {step.usual
                  ? ` · usual ${step.usual.median < 0.01 ? 'at once' : msWords(step.usual.median)}`
                  : at === 0
                    ? ' · first'
                    : ''}
              </small>
            </li>
          ))}
        </ol>
        <svg
          viewBox={`0 0 ${WIDTH} ${height}`}
          preserveAspectRatio="none"
          role="img"
          aria-label={`${threads.length} groups over ${steps.length} steps`}
        >
          {TICKS.map(([ms]) => (
            <line key={ms} className={styles.tick} x1={placeOf(ms)} x2={placeOf(ms)} y1={0} y2={height} />
          ))}
          <line className={styles.gutter} x1={WIDTH - NEVER} x2={WIDTH - NEVER} y1={0} y2={height} />
          {steps.map(({ step, usual }, at) => (
            <g key={step}>
              <line className={styles.warp} x1={0} x2={WIDTH} y1={y(at)} y2={y(at)} />
              {usual && (
                <rect
                  className={styles.band}
                  x={placeOf(usual.low)}
                  width={Math.max(2, placeOf(usual.high) - placeOf(usual.low))}
                  y={y(at) - 9}
                  height={18}
                  rx={3}
                />
              )}
            </g>
          ))}
          {shown.map((it) => (
            <g key={it.key} className={styles.thread} data-kind={kindOf(it, group)}>
              <path d={path(it.since, it.off)} />
              {it.since.map((ms, at) =>
                ms === null || ms < 0 ? null : (
                  <line
                    // biome-ignore lint/suspicious/noArrayIndexKey: a stitch is its step
                    key={at}
                    className={styles.stitch}
                    data-off={it.off.some((of) => of.at === at)}
                    x1={placeOf(ms)}
                    x2={placeOf(ms)}
                    y1={y(at) - 6}
                    y2={y(at) + 6}
                  />
                ),
              )}
              {it.off
                .filter(({ how }) => how === 'never')
                .map(({ at }) => (
                  <text key={at} className={styles.cross} x={WIDTH - NEVER / 2} y={y(at) + 4}>
                    ✕
                  </text>
                ))}
              {/* biome-ignore lint/a11y/noStaticElementInteractions: by keyboard, the chosen ones are buttons below */}
              <path className={styles.catch} d={path(it.since, it.off)} onClick={() => open(it.key)}>
                <title>{it.key}</title>
              </path>
            </g>
          ))}
        </svg>
        <ol className={styles.counts}>
          {steps.map((step) => (
            <li key={step.step} style={{ height: ROW }}>
              <span data-some={step.late > 0}>{formatCount(step.late)}</span>
              <span data-some={step.never > 0}>{formatCount(step.never)}</span>
              <span data-some={step.twice > 0}>{formatCount(step.twice)}</span>
            </li>
          ))}
        </ol>
      </div>
    </div>
  );
}

type LoomThread = LogStitch['threads'][number];

function kindOf({ key, isChosen, off }: LoomThread, group: string): 'usual' | 'off' | 'chosen' | 'opened' {
  if (key === group) return 'opened';
  if (isChosen) return 'chosen';
  return off.length > 0 ? 'off' : 'usual';
}

function rankOf(thread: LoomThread, group: string): number {
  return ['usual', 'off', 'chosen', 'opened'].indexOf(kindOf(thread, group));
}
