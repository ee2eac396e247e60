import { useRef, useState } from 'react';
import type { LogOverview } from '../../api/logs/overview.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { clockTime } from '../../core/time/clock.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Logs.module.css';
import { SeverityMark } from './SeverityMark.tsx';

interface SeverityStripsProps {
  readonly answer: LogOverview;
  readonly chosen: readonly string[];
  readonly choose: (severity: string) => void;
}

const WIDTH = 700;
const HEIGHT = 26;

/** Lines over time by severity, a strip each on its own scale, before dashed over it. A drag lights the stretch that it covers. */
export function SeverityStrips({ answer, chosen, choose }: SeverityStripsProps) {
  const { scope, change } = useScope();
  const zone = useZone();
  const { severities, stepMs, litWindow, changes } = answer;
  const from = Date.parse(litWindow.from);
  const to = Date.parse(litWindow.to);
  const [drag, setDrag] = useState<readonly [number, number]>();
  const area = useRef<HTMLDivElement>(null);
  const at = (clientX: number) => {
    const box = area.current?.getBoundingClientRect();
    return box ? Math.max(0, Math.min(1, (clientX - box.left) / box.width)) : 0;
  };
  const end = () => {
    if (drag && Math.abs(drag[1] - drag[0]) > 0.01) {
      const [first, last] = [Math.min(...drag), Math.max(...drag)];
      const place = (share: number) => Math.round((from + share * (to - from)) / 1000) * 1000;
      change({ ...scope, lit: { type: 'fixed', from: place(first), to: place(last) } });
    }
    setDrag(undefined);
  };
  return (
    <section className={styles.strips} aria-label="Lines a minute by severity">
      <div className={styles.stripNames}>
        {severities.map(({ severity, lit, before }) => (
          <button key={severity} type="button" aria-pressed={chosen.includes(severity)} onClick={() => choose(severity)}>
            <SeverityMark severity={severity} /> <b>{severity === 'none' ? 'not set' : severity}</b>
            <span className="mono">
              <i>{formatCount(sumOf(before))}</i> → <em>{formatCount(sumOf(lit))}</em>
            </span>
          </button>
        ))}
        <small>lines, each on its own scale</small>
      </div>
      <div
        ref={area}
        className={styles.stripArea}
        onPointerDown={(event) => setDrag([at(event.clientX), at(event.clientX)])}
        onPointerMove={(event) => drag && setDrag([drag[0], at(event.clientX)])}
        onPointerUp={end}
        onPointerLeave={() => setDrag(undefined)}
      >
        {severities.map(({ severity, lit, before }) => (
          <Strip key={severity} severity={severity} lit={lit} before={before} />
        ))}
        {changes.map((it) => (
          <span
            key={`${it.at} ${it.title}`}
            className={styles.flag}
            style={{ left: `${(100 * (it.at - from)) / (to - from)}%` }}
            title={`${clockTime(it.at, zone)} ${it.title}`}
          />
        ))}
        {drag && (
          <span
            className={styles.drag}
            style={{ left: `${100 * Math.min(...drag)}%`, width: `${100 * Math.abs(drag[1] - drag[0])}%` }}
          />
        )}
        <div className={styles.axis}>
          {[0, 0.25, 0.5, 0.75].map((share) => (
            <span key={share} style={{ left: `${100 * share}%` }}>
              {clockTime(from + share * (to - from), zone)}
            </span>
          ))}
          <span className={styles.axisEnd}>
            {stepMs >= 60_000 ? `${Math.round(stepMs / 60_000)} min a bar` : `${Math.round(stepMs / 1000)} s a bar`}
          </span>
        </div>
      </div>
    </section>
  );
}

function Strip({ severity, lit, before }: { severity: string; lit: readonly number[]; before: readonly number[] }) {
  // What was usual: the mean before, as one line; the window before may be of another length.
  const usual = before.length === 0 ? 0 : sumOf(before) / before.length;
  const most = Math.max(1, ...lit, usual);
  const step = WIDTH / lit.length;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      preserveAspectRatio="none"
      role="img"
      aria-label={`${severity}: ${sumOf(lit)} lines, ${sumOf(before)} before`}
      data-severity={severity}
    >
      {lit.map((count, index) =>
        count > 0 ? (
          <rect
            // biome-ignore lint/suspicious/noArrayIndexKey: a bar is its place in time
            key={index}
            x={index * step + 0.5}
            width={Math.max(0.8, step - 1)}
            y={HEIGHT - (HEIGHT * count) / most}
            height={Math.max(1, (HEIGHT * count) / most)}
          />
        ) : null,
      )}
      {before.length > 0 && (
        <line x1={0} x2={WIDTH} y1={HEIGHT - (HEIGHT * usual) / most} y2={HEIGHT - (HEIGHT * usual) / most} />
      )}
    </svg>
  );
}

function sumOf(counts: readonly number[]): number {
  return counts.reduce((sum, it) => sum + it, 0);
}
