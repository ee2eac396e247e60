import type { ScaleLinear } from 'd3-scale';
import { type PointerEvent, useMemo, useRef, useState, type WheelEvent } from 'react';
import type { TraceTimeline } from '../../../api/traces/timeline.ts';
import styles from './PathStrip.module.css';

const HEIGHT = 12;

interface PathStripProps {
  readonly trace: TraceTimeline;
  /** All of the time there is, nanoseconds. */
  readonly whole: readonly [number, number];
  /** What of it is in sight. */
  readonly seen: readonly [number, number];
  readonly width: number;
  readonly zoom: (range: readonly [number, number] | undefined) => void;
}

/** The whole trace in one strip: the critical path in the colours of what the time went on. A drag zooms in, or moves what is in sight. */
export function PathStrip({ trace, whole, seen, width, zoom }: PathStripProps) {
  const [from, to] = whole;
  const x = (ns: number) => ((ns - from) / (to - from)) * width;
  const pieces = useMemo(() => piecesOf(trace, whole, width), [trace, whole, width]);
  const drag = useRef<{ at: number; moves: boolean; seen: readonly [number, number] }>(undefined);
  const [drawn, setDrawn] = useState<readonly [number, number]>();
  const isZoomed = seen[0] > from || seen[1] < to;
  const timeOf = (event: PointerEvent) =>
    from + ((event.clientX - event.currentTarget.getBoundingClientRect().left) / width) * (to - from);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the keys z and 0 zoom without a pointer
    <div
      className={styles.strip}
      title="The critical path by what it was spent on; drag to zoom"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        const at = timeOf(event);
        drag.current = { at, moves: isZoomed && at >= seen[0] && at <= seen[1], seen };
      }}
      onPointerMove={(event) => {
        if (!drag.current) return;
        const at = timeOf(event);
        if (drag.current.moves) zoom(shifted(drag.current.seen, at - drag.current.at, whole));
        else setDrawn([Math.min(at, drag.current.at), Math.max(at, drag.current.at)]);
      }}
      onPointerUp={() => {
        if (drawn && x(drawn[1]) - x(drawn[0]) > 3) zoom([Math.max(from, drawn[0]), Math.min(to, drawn[1])]);
        drag.current = undefined;
        setDrawn(undefined);
      }}
      onDoubleClick={() => zoom(undefined)}
    >
      <svg width={width} height={HEIGHT} aria-hidden="true">
        {pieces.map(([left, right, kind]) => (
          <rect key={left} x={left} width={right - left} y={2} height={HEIGHT - 4} fill={`var(--t-${kind})`} />
        ))}
        {isZoomed && (
          <>
            <rect x={0} width={Math.max(0, x(seen[0]))} height={HEIGHT} className={styles.out} />
            <rect x={x(seen[1])} width={Math.max(0, width - x(seen[1]))} height={HEIGHT} className={styles.out} />
            <rect x={x(seen[0])} width={Math.max(2, x(seen[1]) - x(seen[0]))} height={HEIGHT} className={styles.seen} />
          </>
        )}
        {drawn && <rect x={x(drawn[0])} width={x(drawn[1]) - x(drawn[0])} height={HEIGHT} className={styles.seen} />}
      </svg>
    </div>
  );
}

function shifted([start, end]: readonly [number, number], by: number, [from, to]: readonly [number, number]): [number, number] {
  const moved = Math.min(Math.max(start + by, from), to - (end - start));
  return [moved, moved + end - start];
}

/** Runs of pixels with the kind that has most of each: at most one a pixel, however long the path. */
function piecesOf(
  { path, ledger, litBy }: TraceTimeline,
  [from, to]: readonly [number, number],
  width: number,
): [number, number, string][] {
  const kindOf = new Map<number, string>();
  // The last line set wins: the larger lines come first, so they are set last.
  for (let line = ledger.length - 1; line >= 0; line--) for (const span of litBy[line]) kindOf.set(span, ledger[line].kind);
  const queued = new Set(path.queued);
  const pieces: [number, number, string][] = [];
  for (const [at, span] of path.span.entries()) {
    const left = ((path.startNs[at] - from) / (to - from)) * width;
    const right = ((path.endNs[at] - from) / (to - from)) * width;
    const kind = queued.has(at) ? 'queue' : (kindOf.get(span) ?? 'own');
    const last = pieces.at(-1);
    if (last && last[2] === kind && left - last[1] < 0.5) last[1] = right;
    else if (right - left >= 0.5) pieces.push([left, right, kind]);
    else if (last) last[1] = Math.max(last[1], right);
    else pieces.push([left, right, kind]);
  }
  return pieces;
}

/** Zooms around a point by a turn of the wheel. */
export function wheelZoom(
  event: WheelEvent,
  x: ScaleLinear<number, number>,
  at: number,
  [from, to]: readonly [number, number],
): readonly [number, number] | undefined {
  const [start, end] = x.domain();
  // With Shift, most browsers turn the wheel sideways.
  const factor = Math.exp(Math.sign(event.deltaY || event.deltaX) * 0.25);
  const point = x.invert(at);
  const length = Math.min((end - start) * factor, to - from);
  // A nanosecond is the least there is.
  if (length < 20) return [start, end];
  const next = Math.min(Math.max(point - (point - start) * (length / (end - start)), from), to - length);
  return length >= to - from ? undefined : [next, next + length];
}
