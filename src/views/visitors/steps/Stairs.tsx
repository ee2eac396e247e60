import type { VisitorSteps } from '../../../api/visitors/steps.ts';
import { formatShare } from '../../../core/incidents/words.ts';
import { formatCount } from '../../../core/measures/amount.ts';
import { REASONS } from '../../../core/visits/funnel/funnel.ts';
import { REASON_WORDS } from '../../../core/visits/words.ts';
import styles from './Steps.module.css';

interface StairsProps {
  readonly answer: VisitorSteps;
  readonly choose: (step: number) => void;
}

type Figures = VisitorSteps['lit'];

const WIDTH = 872;
const HEIGHT = 320;
const LEFT = 46;
const TOP = 34;
const BOTTOM = 296;
/** A tread takes at least so much of the width: names stand on it. */
const LEAST_TREAD = 96;
const DROP = 14;

/** Stairs: a tread is as long as people take, a drop as deep as people leave, by reason. The group that is told apart in gold, others thin, before dashed. */
export function Stairs({ answer, choose }: StairsProps) {
  const { lit, before, steps, group, at } = answer;
  const treads = treadsOf(lit, WIDTH - LEFT - 10);
  const y = (share: number) => BOTTOM - share * (BOTTOM - TOP);
  const chosen = group?.lit ?? lit;
  const others = group?.others;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className={styles.stairs}
      role="img"
      aria-label={`Steps: ${steps.map(({ name }, step) => `${name} ${lit[step].reached}`).join(', ')}; the table below has the figures`}
    >
      {[0, 0.25, 0.5, 0.75, 1].map((share) => (
        <g key={share}>
          <line x1={LEFT} x2={WIDTH} y1={y(share)} y2={y(share)} stroke="var(--line-soft)" />
          <text x={LEFT - 8} y={y(share) + 4} textAnchor="end" className={styles.tick}>
            {Math.round(100 * share)}
            {share === 1 ? ' %' : ''}
          </text>
        </g>
      ))}
      <path d={`${outline(chosen, treads, y)} V${y(0)} H${LEFT}Z`} fill="var(--lit-soft)" stroke="none" />
      {group && <path d={outline(lit, treads, y)} className={styles.all} />}
      {others && <path d={outline(others, treads, y)} className={styles.others} />}
      {before[0]?.reached > 0 && <path d={outline(before, treads, y)} className={styles.before} />}
      <path d={outline(chosen, treads, y)} className={styles.chosen} />
      {chosen.slice(0, -1).map((it, step) => {
        const x = treads[step].to - DROP;
        const first = chosen[0].reached || 1;
        let from = it.reached / first;
        return (
          <g key={steps[step].name}>
            {[...REASONS].reverse().map((reason) => {
              const share = it.left[reason] / first;
              const top = from;
              from -= share;
              return share > 0 ? (
                <rect
                  key={reason}
                  x={x}
                  y={y(top)}
                  width={DROP - 2}
                  height={Math.max(1, y(from) - y(top))}
                  className={styles[reason]}
                >
                  <title>{`${REASON_WORDS[reason]}: ${it.left[reason]}`}</title>
                </rect>
              ) : null;
            })}
          </g>
        );
      })}
      {steps.map(({ name }, step) => {
        const { from, to } = treads[step];
        const first = lit[0].reached || 1;
        const then = before[0]?.reached ? before[step].reached / before[0].reached : null;
        const share = Math.max(lit[step].reached / first, chosen[step].reached / (chosen[0].reached || 1), then ?? 0);
        return (
          // biome-ignore lint/a11y/noStaticElementInteractions: the table below is the way by keyboard
          <g key={name} onClick={() => choose(step)} className={styles.step} data-chosen={step === at}>
            <rect x={from} y={0} width={to - from} height={HEIGHT} fill="transparent" />
            <text x={from + 4} y={y(share) - 18} className={styles.name}>
              {name}
            </text>
            <text x={from + 4} y={y(share) - 5} className={styles.figure}>
              {formatCount(lit[step].reached)}
              {then !== null && <tspan className={styles.wasText}> {formatShare(then)} →</tspan>}{' '}
              {formatShare(lit[step].reached / first)}
            </text>
          </g>
        );
      })}
      {group && <Thrown answer={answer} treads={treads} y={y} />}
    </svg>
  );
}

/** What is said beside the drop of a group. */
function Thrown({ answer, treads, y }: { answer: VisitorSteps; treads: readonly Tread[]; y: (share: number) => number }) {
  const group = answer.group!;
  const own = group.lit[answer.at];
  const middle = (own.reached + own.wentOn) / 2 / (group.lit[0].reached || 1);
  const share = own.reached > 0 ? group.left / own.reached : 0;
  if (share < 0.3) return null;
  const end = treads[answer.at].to - DROP - 6;
  return (
    <text x={end} y={y(middle)} textAnchor="end" className={styles.thrown}>
      <tspan x={end}>
        {group.left} of {own.reached} {group.crashed > group.left / 2 ? 'crash' : 'leave'}
      </tspan>
      <tspan x={end} dy={14} className={styles.figure}>
        {group.values.join(', ')}
      </tspan>
    </text>
  );
}

interface Tread {
  readonly from: number;
  readonly to: number;
}

/** Where treads begin and end: each as long as people take in the median, as far as there is room for its name. */
function treadsOf(figures: Figures, width: number): Tread[] {
  const took = figures.map(({ medianMs }) => Math.sqrt(medianMs ?? 0));
  const sum = took.reduce((all, it) => all + it, 0) || 1;
  const free = Math.max(0, width - LEAST_TREAD * figures.length);
  let at = LEFT;
  return took.map((it) => {
    const from = at;
    at += LEAST_TREAD + (it / sum) * free;
    return { from, to: at };
  });
}

function outline(figures: Figures, treads: readonly Tread[], y: (share: number) => number): string {
  const first = figures[0]?.reached || 1;
  return figures
    .map(
      ({ reached }, step) =>
        `${step === 0 ? `M${treads[0].from} ` : 'V'}${y(reached / first).toFixed(1)} H${treads[step].to.toFixed(1)}`,
    )
    .join(' ');
}
