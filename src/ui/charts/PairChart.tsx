import { useRef, useState } from 'react';
import { CartesianGrid, Line, LineChart, ResponsiveContainer, Tooltip, XAxis, YAxis } from 'recharts';
import { peakOf } from '../../core/measures/spike.ts';
import { clockTime } from '../../core/time/clock.ts';
import { useCaseMarks } from '../casebook/useCaseMarks.ts';
import { MenuAt } from '../menu/MenuAt.tsx';
import { useNoteFlags } from '../queries/ribbon.ts';
import { useScope } from '../state/scopeState.ts';
import { useZone } from '../state/zone.ts';
import styles from './Figure.module.css';
import { Figure } from './Figure.tsx';
import { type PairLine, pairKey, pairRows } from './pairRows.ts';
import { WhenNear } from './WhenNear.tsx';

interface PairChartProps {
  readonly title: string;
  /** What the figures under the title say. */
  readonly note?: string;
  readonly lines: readonly PairLine[];
  /** Where each window begins; both are drawn from there on one axis, whose places are so many milliseconds apart. */
  readonly litFrom: number;
  readonly beforeFrom: number;
  readonly stepMs: number;
  readonly format: (value: number) => string;
  readonly log?: boolean;
  /** The axis reaches up to this at least. */
  readonly most?: number;
  readonly height?: number;
  readonly axes?: boolean;
  /** What is offered at a place of the lit window, which begins at so many epoch milliseconds; by the keyboard, at the peak. */
  readonly offersAt?: (at: number) => readonly ChartOffer[];
  readonly flags?: readonly ChartFlag[];
}

/** Something that can be done from a place of a chart. */
export interface ChartOffer {
  readonly label: string;
  readonly act: () => void;
}

/** Something that changed, to be marked on the axis of time. */
export interface ChartFlag {
  /** Epoch milliseconds. */
  readonly at: number;
  readonly title: string;
}

/**
 * A measure lit, with the same measure before laid under it: both from the beginning of their windows, as far as the lit one reaches. A drag lights the stretch it covers.
 */
export function PairChart({
  title,
  note,
  lines,
  litFrom,
  beforeFrom,
  stepMs,
  format,
  log,
  most = 0,
  height = 120,
  axes = true,
  offersAt,
  flags = [],
}: PairChartProps) {
  const { scope, change } = useScope();
  const [drag, setDrag] = useState<{ readonly from: number; readonly to: number }>();
  /** Where the button went down: events come faster than the chart is drawn. */
  const pressed = useRef<number>(undefined);
  /** Whether the button that went up last had been dragged: its click comes after the drag is forgotten. */
  const wasDragged = useRef(false);
  const place = useRef<HTMLSpanElement>(null);
  const [clicked, setClicked] = useState<{ readonly at: number; readonly x: number }>();
  const zone = useZone();
  const data = pairRows(lines, { litFrom, beforeFrom, stepMs }, log);
  const isAlone = (key: string, at: number) =>
    typeof data[at]?.[key] === 'number' && typeof data[at - 1]?.[key] !== 'number' && typeof data[at + 1]?.[key] !== 'number';
  const hasAlone = (key: string) => data.some((_, at) => isAlone(key, at));
  // Places are counted from the step of the clock in which the window begins.
  const firstStep = Math.floor(litFrom / stepMs) * stepMs;
  const lastOffset = data.at(-1)?.offset ?? 0;
  const marks = useCaseMarks();
  const notes = useNoteFlags();
  const flagged = [...flags, ...notes, ...marks.map(({ at, text }) => ({ at, title: `${text} (of the case)` }))].filter(
    ({ at }) => at >= firstStep && at <= firstStep + lastOffset,
  );
  const asData = () => ({
    columns: ['time', ...lines.map(pairKey)],
    rows: data.map((row) => [new Date(firstStep + row.offset!).toISOString(), ...lines.map((it) => row[pairKey(it)] ?? null)]),
  });
  const lit = lines.find(({ side, main }) => side === 'lit' && main !== false);
  const peak = lit && peakOf(lit.points);
  const share = (offset: number) => `${(100 * offset) / lastOffset}%`;
  const clock = (offset: number) => clockTime(litFrom + offset, zone);
  return (
    <Figure title={title} note={note} data={asData} offers={peak === undefined ? [] : offersAt?.(peak)}>
      {clicked && offersAt && (
        <>
          <span ref={place} className={styles.place} style={{ left: clicked.x }} />
          <MenuAt
            key={clicked.at}
            at={place}
            position="bottom-start"
            entries={[
              { heading: clockTime(clicked.at, zone) },
              ...offersAt(clicked.at).map(({ label, act }) => ({ key: label, words: label, act })),
            ]}
            close={() => setClicked(undefined)}
          />
        </>
      )}
      <WhenNear height={height}>
        {drag && drag.from !== drag.to && (
          <div className={styles.flags} data-axes={axes}>
            <span
              className={styles.dragged}
              style={{ left: share(Math.min(drag.from, drag.to)), right: share(lastOffset - Math.max(drag.from, drag.to)) }}
            />
          </div>
        )}
        <Flags flags={flagged} from={firstStep} lastOffset={lastOffset} axes={axes} />
        <ResponsiveContainer width="100%" height={height}>
          <LineChart
            data={data}
            margin={{ top: 4, right: 4, bottom: 0, left: 0 }}
            accessibilityLayer={false}
            style={{ cursor: offersAt ? 'pointer' : 'crosshair' }}
            onMouseDown={({ activeLabel }) => {
              pressed.current = activeLabel === undefined ? undefined : Number(activeLabel);
            }}
            onMouseMove={({ activeLabel }) => {
              if (pressed.current !== undefined && activeLabel !== undefined)
                setDrag({ from: pressed.current, to: Number(activeLabel) });
            }}
            onMouseLeave={() => {
              pressed.current = undefined;
              setDrag(undefined);
            }}
            onMouseUp={({ activeLabel }) => {
              const [one, other] = [pressed.current, Number(activeLabel)];
              pressed.current = undefined;
              setDrag(undefined);
              wasDragged.current = one !== undefined && activeLabel !== undefined && one !== other;
              if (one === undefined || !wasDragged.current) return;
              const [from, to] = [Math.min(one, other), Math.max(one, other)];
              change({ ...scope, lit: { type: 'fixed', from: firstStep + from, to: firstStep + to + stepMs } });
            }}
            onClick={({ activeLabel, activeCoordinate }) => {
              // A drag ends in a click, too: by then another stretch is lit.
              if (activeLabel === undefined || wasDragged.current) return;
              setClicked({ at: firstStep + Number(activeLabel), x: activeCoordinate?.x ?? 0 });
            }}
          >
            {axes && <CartesianGrid stroke="var(--line-soft)" vertical={false} />}
            <XAxis
              dataKey="offset"
              type="number"
              domain={['dataMin', 'dataMax']}
              tickFormatter={clock}
              tick={{ fill: 'var(--text-3)', fontSize: 10 }}
              stroke="var(--line)"
              hide={!axes}
              tickCount={4}
            />
            <YAxis
              width={axes ? 52 : 0}
              hide={!axes}
              scale={log ? 'log' : 'auto'}
              domain={log ? ['auto', 'auto'] : [0, (highest: number) => Math.max(highest, most)]}
              allowDataOverflow={false}
              tickFormatter={format}
              tick={{ fill: 'var(--text-3)', fontSize: 10 }}
              stroke="var(--line)"
              tickCount={4}
            />
            <Tooltip
              isAnimationActive={false}
              labelFormatter={(offset) => clock(Number(offset))}
              formatter={(value, name) => [format(Number(value)), name]}
              contentStyle={{ background: 'var(--raised)', border: '1px solid var(--line)', borderRadius: 6, fontSize: 11 }}
              itemStyle={{ color: 'var(--text)' }}
            />
            {[...lines]
              .sort((a, b) => (a.side < b.side ? -1 : 1))
              .map((it) => (
                <Line
                  key={pairKey(it)}
                  dataKey={pairKey(it)}
                  name={`${it.name === '' ? '' : `${it.name} `}${it.side}`}
                  type="linear"
                  // A value between two places without one has no line that it could be seen by.
                  dot={
                    hasAlone(pairKey(it)) &&
                    (({ cx, cy, index }) =>
                      isAlone(pairKey(it), index) ? (
                        <circle
                          key={index}
                          cx={cx}
                          cy={cy}
                          r={it.main === false ? 1 : 1.6}
                          fill={it.side === 'lit' ? 'var(--lit)' : 'var(--before)'}
                          fillOpacity={it.main === false ? 0.45 : 1}
                        />
                      ) : (
                        <g key={index} />
                      ))
                  }
                  connectNulls={false}
                  isAnimationActive={false}
                  stroke={it.side === 'lit' ? 'var(--lit)' : 'var(--before)'}
                  strokeOpacity={it.main === false ? 0.45 : 1}
                  strokeWidth={it.main === false ? 1 : 1.6}
                  strokeDasharray={it.side === 'before' ? '4 3' : undefined}
                />
              ))}
          </LineChart>
        </ResponsiveContainer>
      </WhenNear>
    </Figure>
  );
}

interface FlagsProps {
  readonly flags: readonly ChartFlag[];
  /** Where the axis of time begins, epoch milliseconds, and how far it reaches. */
  readonly from: number;
  readonly lastOffset: number;
  readonly axes: boolean;
}

/** What changed, over the plot: a day has some sixty of them, which are not worth a part of the drawing each. */
function Flags({ flags, from, lastOffset, axes }: FlagsProps) {
  if (flags.length === 0 || lastOffset <= 0) return null;
  return (
    <div className={styles.flags} data-axes={axes}>
      {flags.map(({ at, title }) => (
        <i key={`${at} ${title}`} style={{ left: `${(100 * (at - from)) / lastOffset}%` }}>
          <b title={title}>▸</b>
        </i>
      ))}
    </div>
  );
}
