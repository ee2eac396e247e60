import type { OneVisit } from '../../../api/visitors/visit.ts';
import { formatDuration } from '../../../core/time/duration.ts';
import { ms } from '../../../core/visits/words.ts';
import { SignGlyph } from '../SignGlyph.tsx';
import styles from './Visit.module.css';

const WIDTH = 872;

/** The whole visit as one bar: who held it up when, with the signs of struggle above. */
export function VisitSummary({ visit }: { visit: OneVisit }) {
  const whole = Math.max(1, (visit.to - visit.from) * 1_000);
  const x = (us: number) => (us / whole) * WIDTH;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} 40`}
      className={styles.summary}
      role="img"
      aria-label={`Waited ${ms(visit.waitedMs)} of ${ms(visit.to - visit.from)}`}
    >
      {visit.held.map((it) => (
        <rect
          key={it.from}
          x={x(it.from)}
          y={16}
          width={Math.max(0.6, x(it.to) - x(it.from) - 0.4)}
          height={it.kind === 'visitor' ? 3 : 12}
          transform={it.kind === 'visitor' ? 'translate(0 4.5)' : undefined}
          fill={`var(--p-${it.kind})`}
        >
          <title>{`${it.kind} ${it.party}: ${formatDuration((it.to - it.from) * 1_000)}`}</title>
        </rect>
      ))}
      {visit.signs.map((it) => (
        <g
          key={`${it.kind} ${it.at}`}
          transform={`translate(${Math.min(WIDTH - 14, x((it.at - visit.from) * 1_000))} 0)`}
          className={styles.sign}
        >
          <SignGlyph sign={it.kind} />
        </g>
      ))}
      {[0, 0.25, 0.5, 0.75, 1].map((share) => (
        <text
          key={share}
          x={share * WIDTH}
          y={39}
          textAnchor={share === 0 ? 'start' : share === 1 ? 'end' : 'middle'}
          className={styles.mark}
        >
          {share === 0 ? '0' : formatDuration(share * whole * 1_000)}
        </text>
      ))}
    </svg>
  );
}
