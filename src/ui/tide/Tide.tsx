import { useElementSize } from '@mantine/hooks';
import { type PointerEvent, useId, useState } from 'react';
import { CLASS_WORDS } from '../../core/database/waitClasses.ts';
import { formatSessions } from '../../core/database/words.ts';
import { clockTime, timeTicks } from '../../core/time/clock.ts';
import { useZone } from '../state/zone.ts';
import { colourOfClass } from './classColours.ts';
import styles from './Tide.module.css';
import { type TideData, tideShape } from './tideShape.ts';

interface TideProps {
  readonly name: string;
  readonly tide: TideData;
  readonly cores: number;
  readonly lit: { readonly from: number; readonly to: number };
  /** Sessions before, at work and waiting; drawn as dashed lines. */
  readonly before?: { readonly atWork: number; readonly waiting: number };
  readonly flags?: readonly { readonly at: number; readonly title: string }[];
  /** The moment that is looked at. */
  readonly moment?: number;
  readonly height?: number;
  /** A thin one, of a server with nothing to tell. */
  readonly thin?: boolean;
  readonly choose?: (at: number) => void;
  readonly light?: (from: number, to: number) => void;
}

const LEFT = 34;
const BOTTOM = 16;
/** Pixels that a pointer moves before it drags. */
const DRAGGED = 4;

/** The load of a server: work above the waterline against the line of its cores, waiting hangs below it by what is waited for. */
export function Tide({
  name,
  tide,
  cores,
  lit,
  before,
  flags = [],
  moment,
  height = 150,
  thin = false,
  choose,
  light,
}: TideProps) {
  const zone = useZone();
  const { ref, width: measured } = useElementSize();
  const hatch = useId();
  const [drag, setDrag] = useState<{ readonly from: number; readonly to: number }>();
  const width = measured > 0 ? measured : 640;
  const shape = tideShape(tide, cores);
  const left = thin ? 0 : LEFT;
  const plot = { width: width - left, height: height - (thin ? 0 : BOTTOM) };
  const to = tide.from + tide.stepMs * tide.samples.length;
  const x = (ms: number) => left + (plot.width * (ms - tide.from)) / Math.max(1, to - tide.from);
  const y = (sessions: number) => (plot.height * (shape.top - sessions)) / (shape.top + shape.bottom);
  const at = (clientX: number, box: DOMRect) => tide.from + ((clientX - box.left - left) / plot.width) * (to - tide.from);
  const stepWidth = (plot.width * tide.stepMs) / Math.max(1, to - tide.from);
  const clamp = (ms: number) => Math.min(Math.max(ms, tide.from), to);
  const [from, until] = [clamp(lit.from), clamp(lit.to)];
  const down = (event: PointerEvent<SVGSVGElement>) => {
    if (event.button !== 0 || (!choose && !light)) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    setDrag({ from: event.clientX, to: event.clientX });
  };
  const up = (event: PointerEvent<SVGSVGElement>) => {
    if (!drag) return;
    const box = event.currentTarget.getBoundingClientRect();
    setDrag(undefined);
    const [one, other] = [clamp(at(drag.from, box)), clamp(at(event.clientX, box))];
    if (Math.abs(event.clientX - drag.from) < DRAGGED) choose?.(other);
    else light?.(Math.min(one, other), Math.max(one, other));
  };
  const scale = [shape.top, -shape.bottom].map((edge) => edge / 1.15);
  return (
    <div ref={ref} className={styles.tide} style={{ height }}>
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={`${name}: average active sessions over time, work above the line, waiting below it`}
        data-thin={thin}
        data-acts={choose !== undefined || light !== undefined}
        onPointerDown={down}
        onPointerMove={(event) => drag && setDrag({ ...drag, to: event.clientX })}
        onPointerUp={up}
        onPointerCancel={() => setDrag(undefined)}
      >
        <defs>
          <pattern id={hatch} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)">
            <line x1="0" y1="0" x2="0" y2="6" className={styles.hatch} />
          </pattern>
        </defs>
        <rect className={styles.lit} x={x(from)} y={0} width={Math.max(1, x(until) - x(from))} height={plot.height} />
        {[false, true].map((inside) => (
          <g key={String(inside)} className={inside ? undefined : styles.dim}>
            {shape.layers.map(({ waitClass, bars }) => {
              const path = bars
                .filter(({ step }) => {
                  const middle = tide.from + (step + 0.5) * tide.stepMs;
                  return (middle >= from && middle < until) === inside;
                })
                .map(({ step, low, high }) => {
                  const start = x(tide.from + step * tide.stepMs).toFixed(1);
                  return `M${start} ${y(high).toFixed(1)}h${(stepWidth + 0.3).toFixed(1)}V${y(low).toFixed(1)}h${(-stepWidth - 0.3).toFixed(1)}z`;
                })
                .join('');
              return (
                <g key={waitClass}>
                  <path d={path} fill={colourOfClass(waitClass)} />
                  {waitClass === 'Lock' && <path d={path} fill={`url(#${hatch})`} />}
                </g>
              );
            })}
          </g>
        ))}
        {shape.gaps.map((gap) => (
          <rect
            key={gap.from}
            className={styles.gap}
            x={x(tide.from + gap.from * tide.stepMs)}
            width={(gap.to - gap.from) * stepWidth}
            y={0}
            height={plot.height}
          >
            <title>not sampled</title>
          </rect>
        ))}
        <line className={styles.water} x1={left} x2={width} y1={y(0)} y2={y(0)} />
        {shape.hasCores && (
          <>
            <line className={styles.cores} x1={left} x2={width} y1={y(cores)} y2={y(cores)} />
            {!thin && (
              <text className={styles.label} x={left + 4} y={y(cores) + (y(cores) < 12 ? 11 : -3)}>
                {cores} cores
              </text>
            )}
          </>
        )}
        {before && before.atWork > 0 && (
          <line className={styles.before} x1={x(from)} x2={x(until)} y1={y(before.atWork)} y2={y(before.atWork)} />
        )}
        {before && before.waiting > 0 && (
          <line className={styles.before} x1={x(from)} x2={x(until)} y1={y(-before.waiting)} y2={y(-before.waiting)} />
        )}
        {[from, until].map((edge) => (
          <line key={edge} className={styles.edge} x1={x(edge)} x2={x(edge)} y1={0} y2={plot.height} />
        ))}
        {flags
          .filter(({ at: when }) => when >= tide.from && when < to)
          .map(({ at: when, title }) => (
            <g key={`${when} ${title}`} className={styles.flag}>
              <line x1={x(when)} x2={x(when)} y1={0} y2={plot.height} />
              <path d={`M${x(when)} 1l7 4l-7 4z`}>
                <title>
                  {clockTime(when, zone)} {title}
                </title>
              </path>
            </g>
          ))}
        {!thin &&
          scale.map((value) => (
            <text key={value} className={styles.scale} x={left - 5} y={y(value) + 3}>
              {formatSessions(Math.abs(value))}
            </text>
          ))}
        {!thin &&
          timeTicks(tide.from, to, 5, zone).map((tick) => (
            <text key={tick} className={styles.time} x={x(tick)} y={height - 4}>
              {clockTime(tick, zone)}
            </text>
          ))}
        {moment !== undefined && moment >= tide.from && moment <= to && (
          <g className={styles.moment}>
            <line x1={x(moment)} x2={x(moment)} y1={0} y2={plot.height} />
          </g>
        )}
        {drag && Math.abs(drag.to - drag.from) >= DRAGGED && <Dragged drag={drag} height={plot.height} />}
      </svg>
    </div>
  );
}

/** The stretch that a drag covers, in the coordinates of the window. */
function Dragged({ drag, height }: { drag: { from: number; to: number }; height: number }) {
  return (
    <foreignObject x={0} y={0} width="100%" height={height} className={styles.over}>
      <i
        className={styles.dragged}
        ref={(it) => {
          if (!it) return;
          const box = it.parentElement!.getBoundingClientRect();
          it.style.left = `${Math.min(drag.from, drag.to) - box.left}px`;
          it.style.width = `${Math.abs(drag.to - drag.from)}px`;
        }}
      />
    </foreignObject>
  );
}

/** What each class is at: before and lit, those with the most first. */
export function ClassLegend({
  classes,
  lit,
  before,
  chosen,
  choose,
}: {
  readonly classes: readonly string[];
  readonly lit: readonly number[];
  readonly before: readonly number[] | null;
  readonly chosen?: string;
  readonly choose?: (waitClass: string) => void;
}) {
  const rows = classes
    .map((waitClass, at) => ({ waitClass, lit: lit[at] ?? 0, before: before?.[at] ?? 0 }))
    .filter((it) => it.lit >= 0.005 || it.before >= 0.005)
    .sort((a, b) => b.lit - a.lit);
  return (
    <ul className={styles.legend}>
      {rows.map((it) => {
        const { short, about } = CLASS_WORDS[it.waitClass as keyof typeof CLASS_WORDS];
        const words = (
          <>
            <i style={{ background: colourOfClass(it.waitClass) }} data-hatched={it.waitClass === 'Lock'} />
            <span>{short}</span>
            <b className="mono">
              {before && <em>{formatSessions(it.before)} → </em>}
              {formatSessions(it.lit)}
            </b>
          </>
        );
        return (
          <li key={it.waitClass} title={about}>
            {choose ? (
              <button type="button" aria-pressed={chosen === it.waitClass} onClick={() => choose(it.waitClass)}>
                {words}
              </button>
            ) : (
              words
            )}
          </li>
        );
      })}
    </ul>
  );
}
