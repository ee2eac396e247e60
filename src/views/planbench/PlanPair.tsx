import { type PlanNode, parsePlan, planSteps } from '../../core/database/planTree.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { ownMs, planPairs } from '../../core/planbench/plans.ts';
import type { Tried } from '../../core/planbench/trial.ts';
import { formatDuration } from '../../core/time/duration.ts';
import styles from './Bench.module.css';

/** Height of a step with the gap below it, pixels; the ropes are drawn by it. */
const STEP = 52;
const ROPES = 84;
const MOST_DEPTH = 6;

/** The plans of the original and of the chosen way, with ropes between steps that do like work. */
export function PlanPair({ original, chosen }: { readonly original: Tried; readonly chosen: Tried }) {
  const [left, right] = [parsePlan(original.plan), parsePlan(chosen.plan)];
  if (!left || !right) return null;
  const isOne = original.key === chosen.key;
  const [mine, others] = [planSteps(left), planSteps(right)];
  const pairs = isOne ? [] : planPairs(left, right);
  const strongest = [...pairs].filter((it) => it.ratio !== null).sort((a, b) => b.ratio! - a.ratio!)[0];
  const height = Math.max(mine.length, others.length) * STEP;
  const y = (at: number) => at * STEP + 22;
  return (
    <section className={styles.plans} aria-label="The plans">
      <h2>
        The plans <span className="dim">like work is joined; ring: rows guessed, dot: rows seen; bar: its own time</span>
      </h2>
      <div className={styles.pair} data-one={isOne}>
        <Steps title="original" steps={mine} depths={depthsOf(left)} highlighted={strongest?.left} />
        {!isOne && (
          <>
            <svg width={ROPES} height={height} className={styles.ropes} aria-hidden="true">
              {pairs.map((it) => (
                <path
                  key={it.left}
                  data-strong={it === strongest}
                  d={`M0,${y(it.left)} C${ROPES / 2},${y(it.left)} ${ROPES / 2},${y(it.right)} ${ROPES},${y(it.right)}`}
                />
              ))}
              {strongest && strongest.ratio! >= 1.5 && (
                <g transform={`translate(${ROPES / 2},${(y(strongest.left) + y(strongest.right)) / 2})`}>
                  <rect x={-30} y={-10} width={60} height={20} rx={10} />
                  <text textAnchor="middle" y={4}>
                    ÷ {strongest.ratio! >= 10 ? formatCount(Math.round(strongest.ratio!)) : strongest.ratio!.toFixed(1)}
                  </text>
                </g>
              )}
            </svg>
            <Steps title="chosen" steps={others} depths={depthsOf(right)} highlighted={strongest?.right} />
          </>
        )}
      </div>
    </section>
  );
}

function depthsOf(root: PlanNode): number[] {
  const depths: number[] = [];
  const step = (it: PlanNode, depth: number) => {
    depths.push(Math.min(depth, MOST_DEPTH));
    for (const child of it.children) step(child, depth + 1);
  };
  step(root, 0);
  return depths;
}

function Steps({
  title,
  steps,
  depths,
  highlighted,
}: {
  readonly title: string;
  readonly steps: readonly PlanNode[];
  readonly depths: readonly number[];
  readonly highlighted: number | undefined;
}) {
  const whole = Math.max(1e-9, ...steps.map((it) => it.seenMs ?? 0));
  return (
    <ol className={styles.steps} aria-label={`Plan, ${title}`}>
      {steps.map((it, at) => {
        const own = ownMs(it);
        const guessed = it.rows * it.loops;
        const isWrong =
          it.seenRows !== null && Math.max(guessed, it.seenRows, 1) / Math.max(1, Math.min(guessed, it.seenRows)) >= 4;
        return (
          <li
            // biome-ignore lint/suspicious/noArrayIndexKey: a step is its place in the plan
            key={at}
            style={{ marginLeft: 8 * depths[at], height: STEP - 8 }}
            data-highlighted={at === highlighted}
            title={it.conditions.join('\n')}
          >
            <div>
              <b>{it.type}</b> <code>{it.on}</code>
              <span>{own === null ? '' : formatDuration(own * 1e6)}</span>
            </div>
            <div className={styles.guess} data-wrong={isWrong}>
              <svg width={60} height={12} aria-hidden="true">
                <Guess guessed={guessed} seen={it.seenRows} />
              </svg>
              {rowWords(guessed, it.seenRows, isWrong)}
              {it.dropped > 0 && <em>{short(it.dropped)} dropped</em>}
            </div>
            {own !== null && <i style={{ width: `${(100 * own) / whole}%` }} />}
          </li>
        );
      })}
    </ol>
  );
}

function rowWords(guessed: number, seen: number | null, isWrong: boolean): string {
  if (seen === null) return `${short(guessed)} rows guessed`;
  return isWrong ? `${short(guessed)} → ${short(seen)} rows` : `${short(seen)} rows`;
}

/** Rows on an axis of powers of ten: a ring where they were guessed, a dot where they were. */
function Guess({ guessed, seen }: { readonly guessed: number; readonly seen: number | null }) {
  const x = (rows: number) => 5 + Math.min(50, Math.log10(Math.max(1, rows)) * 7);
  return (
    <>
      {seen !== null && <line x1={x(guessed)} x2={x(seen)} y1={6} y2={6} />}
      <circle cx={x(guessed)} cy={6} r={3.5} />
      {seen !== null && <circle className={styles.seen} cx={x(seen)} cy={6} r={2.5} />}
    </>
  );
}

function short(rows: number): string {
  if (rows >= 1e6) return `${(rows / 1e6).toPrecision(3)} M`;
  return formatCount(Math.round(rows));
}
