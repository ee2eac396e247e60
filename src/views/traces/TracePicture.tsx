import { useElementSize } from '@mantine/hooks';
import { max } from 'd3-array';
import { scaleLinear, scaleLog } from 'd3-scale';
import { type PointerEvent, useEffect, useId, useMemo, useRef, useState } from 'react';
import type { TraceOverview } from '../../api/traces/overview.ts';
import type { TracePoints } from '../../api/traces/points.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { windowAt } from '../../core/scope/scope.ts';
import { clockTime, clockTimeExact, dayOf, timeTicks } from '../../core/time/clock.ts';
import { formatDuration, shortDuration } from '../../core/time/duration.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { useScheme } from '../../ui/theme/schemeState.ts';
import { drawPoints } from './drawPoints.ts';
import { atStep, nearestPoint, type Region, regionOf, roundDuration } from './pictureGeometry.ts';
import styles from './TracePicture.module.css';

const HEIGHT = 176;
const BASE = 158;
const TOP = 10;
/** Of the histogram at the right. */
const MARGIN = 168;
const GAP = 8;
const DECADES = [1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13];
/** A pointer that has moved less than this has clicked. */
const CLICK = 4;
/** How far from a point it is still meant, pixels. */
const REACH = 9;

interface TracePictureProps {
  readonly overview: TraceOverview | undefined;
  readonly points: TracePoints | undefined;
  readonly now: number;
  /** Called with what a drag enclosed; what is left open is undefined. Durations in nanoseconds, times in epoch milliseconds. */
  readonly narrow: (region: Region) => void;
  /** Called with a duration in nanoseconds: that of the request to be opened, or of the one nearest to it. */
  readonly openNearest: (durationNs: number) => void;
}

/**
 * Each request by when it began and how long it took, on a log axis, and beside it how many took how long. A drag narrows to what it
 * encloses, a click opens the request.
 */
export function TracePicture({ overview, points, now, narrow, openNearest }: TracePictureProps) {
  const hatch = useId();
  const zone = useZone();
  const { scheme } = useScheme();
  const { scope, href } = useScope();
  const { ref, width: measured } = useElementSize<HTMLDivElement>();
  const canvas = useRef<HTMLCanvasElement>(null);
  const width = measured || 872;
  const plot = Math.max(200, width - MARGIN - GAP);
  const [drag, setDrag] = useState<{ x: number; y: number; toX: number; toY: number; inMargin: boolean }>();
  const [hovered, setHovered] = useState<number>();
  const { from, to } = windowAt(scope.lit, now);
  const steps = overview?.durations ?? [];
  const firstStep = steps[0]?.step ?? 80;
  const lastStep = steps.at(-1)?.step ?? 120;
  const x = useMemo(() => scaleLinear([from, to], [0, plot]), [from, to, plot]);
  const y = useMemo(() => scaleLog([atStep(firstStep - 1), atStep(lastStep + 2)], [BASE, TOP]), [firstStep, lastStep]);
  const seen = useMemo(
    () =>
      points && {
        x: points.startMs.map((at) => x(at)),
        y: points.durationNs.map((ns) => y(Math.max(1, ns))),
        outcome: points.outcome,
      },
    [points, x, y],
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: the colours are those of the scheme
  useEffect(() => {
    if (canvas.current && seen) drawPoints(canvas.current, seen, plot, BASE);
  }, [seen, plot, scheme]);

  const placeOf = (event: PointerEvent) => {
    const { left, top } = event.currentTarget.getBoundingClientRect();
    return { x: event.clientX - left, y: event.clientY - top };
  };
  const done = () => {
    setDrag(undefined);
    if (!drag) return;
    const isClick = Math.abs(drag.toX - drag.x) < CLICK && Math.abs(drag.toY - drag.y) < CLICK;
    if (!isClick)
      narrow(regionOf(drag, { plot, base: BASE, top: TOP, timeAt: x.invert, durationAt: (at) => roundDuration(y.invert(at)) }));
    else if (drag.inMargin) openNearest(y.invert(drag.y));
    else if (hovered !== undefined && points) location.href = href(`/traces/${points.traceId[hovered]}`);
  };
  const most = max(steps, (it) => it.count) ?? 1;
  // The square root keeps the rare slow ones in sight beside thousands of fast ones.
  const long = (count: number) => Math.sqrt(count / most) * (MARGIN - 74);
  const marks = overview
    ? ([
        ['p50', overview.p50Ns],
        ['p95', overview.p95Ns],
        ['p99', overview.p99Ns],
      ] as const)
    : [];
  let lowest = Number.NEGATIVE_INFINITY;
  return (
    <div
      ref={ref}
      className={styles.picture}
      style={{ height: HEIGHT }}
      data-over={hovered !== undefined}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        const at = placeOf(event);
        setDrag({ ...at, toX: at.x, toY: at.y, inMargin: at.x > plot });
      }}
      onPointerMove={(event) => {
        const at = placeOf(event);
        if (drag) setDrag({ ...drag, toX: Math.min(Math.max(at.x, 0), plot), toY: Math.min(Math.max(at.y, 0), BASE) });
        else setHovered(seen && at.x <= plot ? nearestPoint(seen, at.x, at.y, REACH) : undefined);
      }}
      onPointerUp={done}
      onPointerCancel={() => setDrag(undefined)}
      onPointerLeave={() => setHovered(undefined)}
    >
      <canvas ref={canvas} className={styles.points} style={{ width: plot, height: BASE }} />
      <svg width={width} height={HEIGHT} role="img" aria-label={overview ? description(overview) : 'Counting'}>
        <pattern id={hatch} width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="2" height="4" className={styles.failed} />
        </pattern>
        {DECADES.filter((at) => y(at) > TOP && y(at) < BASE).map((at) => (
          <g key={at}>
            <line x1={0} x2={plot} y1={y(at)} y2={y(at)} className={styles.grid} />
            <text x={3} y={y(at) - 3} className={styles.tick}>
              {shortDuration(at)}
            </text>
          </g>
        ))}
        <line x1={0} x2={plot} y1={BASE + 0.5} y2={BASE + 0.5} className={styles.base} />
        {timeTicks(from, to, Math.max(2, Math.floor(plot / 110)), zone).map((at) => (
          <text
            key={at}
            x={x(at)}
            y={HEIGHT - 4}
            textAnchor={x(at) < 20 ? 'start' : x(at) > plot - 20 ? 'end' : 'middle'}
            className={styles.tick}
          >
            {clockTime(at, zone)}
          </text>
        ))}
        {steps.map(({ step, count, failed }) => {
          const top = y(atStep(step + 1));
          const high = Math.max(1, y(atStep(step)) - top - 1);
          return (
            <g key={step}>
              <title>
                {`${formatDuration(atStep(step))} to ${formatDuration(atStep(step + 1))}: ${formatCount(count)} requests, ${failed} with a failure`}
              </title>
              <rect x={plot + GAP} y={top} width={MARGIN} height={high + 1} fill="transparent" />
              <rect x={plot + GAP} y={top} width={Math.max(1, long(count))} height={high} className={styles.bar} />
              <rect x={plot + GAP} y={top} width={(long(count) * failed) / count} height={high} fill={`url(#${hatch})`} />
            </g>
          );
        })}
        {[...marks].reverse().map(([name, value]) => {
          if (value === null) return null;
          const at = y(Math.max(1, value));
          // Marks that come too near each other move apart.
          const textAt = Math.max(at + 4, lowest + 13);
          lowest = textAt;
          return (
            <g key={name}>
              <line x1={0} x2={width - 74} y1={at} y2={at} className={styles.mark} />
              <text x={width} y={textAt} textAnchor="end" className={styles.markText}>
                {name} {formatDuration(value)}
              </text>
            </g>
          );
        })}
        {hovered !== undefined && seen && <circle cx={seen.x[hovered]} cy={seen.y[hovered]} r={5} className={styles.hovered} />}
        {drag && (
          <rect
            x={drag.inMargin ? 0 : Math.min(drag.x, drag.toX)}
            y={Math.min(drag.y, drag.toY)}
            width={drag.inMargin ? width : Math.abs(drag.toX - drag.x)}
            height={Math.abs(drag.toY - drag.y)}
            className={styles.chosen}
          />
        )}
      </svg>
      {hovered !== undefined && points && seen && (
        <p
          className={styles.tip}
          style={seen.x[hovered] > plot / 2 ? { right: width - seen.x[hovered] + 10 } : { left: seen.x[hovered] + 10 }}
        >
          <b className="mono">{formatDuration(points.durationNs[hovered])}</b> {dayOf(points.startMs[hovered], zone)}{' '}
          {clockTimeExact(points.startMs[hovered], zone)}
          {points.outcome[hovered] === 2 ? ', failed' : points.outcome[hovered] === 1 ? ', a failure inside' : ''}
        </p>
      )}
      {points && points.total > points.traceId.length && (
        <p className={styles.note}>
          {formatCount(points.traceId.length)} of {formatCount(points.total)} drawn: the slowest, and a sample of the others by
          duration and outcome
        </p>
      )}
    </div>
  );
}

function description({ count, p50Ns, p95Ns, p99Ns }: TraceOverview): string {
  const words = [p50Ns, p95Ns, p99Ns].map((ns) => formatDuration(ns ?? 0));
  return `Durations of ${count} requests: p50 ${words[0]}, p95 ${words[1]}, p99 ${words[2]}`;
}
