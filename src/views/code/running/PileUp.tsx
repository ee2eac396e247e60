import { Area, AreaChart, ReferenceArea, ReferenceLine, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import type { CodeRunning } from '../../../api/code/running.ts';
import { WAIT_COLOURS, WAIT_WORDS } from '../../../core/profile/runningWords.ts';
import { clockTime } from '../../../core/time/clock.ts';
import { DragToLight } from '../../../ui/charts/DragToLight.tsx';
import { timeAxis } from '../../../ui/charts/timeAxis.ts';
import { useZone } from '../../../ui/state/zone.ts';
import styles from './Running.module.css';

/** How many ran over time, by what they waited for, against how many usually run. */
export function PileUp({ answer }: { answer: CodeRunning }) {
  const zone = useZone();
  const { overTime, usualRunning, running, changes, litWindow, at } = answer;
  const [from, to] = [Date.parse(litWindow.from), Math.min(at, Date.parse(litWindow.to))];
  const waits = [...new Set(overTime.points.map(({ wait }) => wait))].sort();
  const rows = new Map<number, Record<string, number>>();
  // A step of which nothing was reported is one in which nothing ran for long.
  for (let step = Math.floor(from / overTime.stepMs) * overTime.stepMs; step < to; step += overTime.stepMs)
    rows.set(step, { at: step, ...Object.fromEntries(waits.map((wait) => [wait, 0])) });
  for (const it of overTime.points) {
    const row = rows.get(it.at);
    if (row) row[it.wait] = it.count;
  }
  const number = (value: number) => (value >= 10 || Number.isInteger(value) ? String(Math.round(value)) : value.toFixed(1));
  return (
    <div className={styles.pileUp}>
      <p>
        <span className="dim">running</span>
        <span className={styles.usual}>
          {!usualRunning
            ? 'usual not known'
            : usualRunning[1] === 0
              ? 'usually none'
              : `usual ${number(usualRunning[0])}–${number(usualRunning[1])}`}
        </span>
      </p>
      <DragToLight from={from} to={to} right={4}>
        <div className={styles.pileUpChart} role="img" aria-label={`Running requests over time, ${running} at the end`}>
          <ResponsiveContainer width="100%" height={74}>
            <AreaChart data={[...rows.values()]} margin={{ top: 8, right: 4, bottom: 0, left: 0 }} accessibilityLayer={false}>
              <XAxis {...timeAxis(from, to, zone, 6)} />
              <YAxis hide domain={[0, (most: number) => Math.max(1, most)]} />
              {usualRunning && (
                <ReferenceArea y1={usualRunning[0]} y2={usualRunning[1]} fill="var(--before)" fillOpacity={0.18} />
              )}
              {waits.map((wait) => (
                <Area
                  key={wait}
                  dataKey={wait}
                  stackId="running"
                  type="stepAfter"
                  stroke="none"
                  fill={`var(${WAIT_COLOURS[wait] ?? '--t-gap'})`}
                  fillOpacity={0.85}
                  isAnimationActive={false}
                  name={WAIT_WORDS[wait] ?? wait}
                />
              ))}
              {changes
                .filter((it) => it.at >= from && it.at <= to)
                .map((it) => (
                  <ReferenceLine
                    key={`${it.at} ${it.title}`}
                    x={it.at}
                    stroke="var(--text-3)"
                    strokeDasharray="2 3"
                    label={{ value: '▸', position: 'insideTopLeft', fontSize: 9, fill: 'var(--text-2)' }}
                  />
                ))}
              <Tooltip
                isAnimationActive={false}
                content={({ active, payload, label }) =>
                  active && payload?.length ? (
                    <div className={styles.tip}>
                      <b>{clockTime(Number(label), zone, true)}</b>
                      {payload
                        .filter(({ value }) => Number(value) > 0)
                        .map(({ name, value }) => (
                          <span key={String(name)}>
                            {name} {number(Number(value))}
                          </span>
                        ))}
                      {changes
                        .filter((it) => Math.abs(it.at - Number(label)) < overTime.stepMs)
                        .map(({ title }) => (
                          <span key={title}>▸ {title}</span>
                        ))}
                    </div>
                  ) : null
                }
              />
            </AreaChart>
          </ResponsiveContainer>
        </div>
      </DragToLight>
      <p className={styles.now}>
        <b className="mono">{running}</b> at the end
      </p>
    </div>
  );
}
