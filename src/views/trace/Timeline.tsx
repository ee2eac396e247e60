import { useElementSize, useMergedRef } from '@mantine/hooks';
import { scaleLinear } from 'd3-scale';
import { useEffect, useMemo, useRef, useState } from 'react';
import { flushSync } from 'react-dom';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import type { LedgerLine } from '../../ui/ledger/Ledger.tsx';
import { useScope } from '../../ui/state/scopeState.ts';
import { Axis } from './Axis.tsx';
import { depths, rowOfSpan, seenRows, subtreeEnds } from './outline.ts';
import { SpanRow } from './SpanRow.tsx';
import styles from './Timeline.module.css';
import { stretchesOf, threadPath } from './thread.ts';
import { keysOf } from './timelineKeys.ts';

const ROW = 28;
const NAMES = 296;
/** The thread runs this far below a row's top: under the bar. */
const THREAD_Y = 21;
/** Air at the right of the bars, so that the last duration has room. */
const RIGHT = 14;

interface TimelineProps {
  readonly trace: TraceTimeline;
  /** A span, by its position. */
  readonly chosen: number;
  readonly choose: (span: number) => void;
  /** The line of the ledger whose stretches are lit. */
  readonly litLine: LedgerLine | undefined;
}

/**
 * The tree of spans beside their time, the critical path running through the rows.
 *
 * Only the rows in sight are in the page, in a layer that stays put while the scroller moves, so that fast scrolling never shows
 * empty rows.
 */
export function Timeline({ trace, chosen, choose, litLine }: TimelineProps) {
  const { href } = useScope();
  const { spans } = trace;
  const [folded, setFolded] = useState<ReadonlySet<number>>(new Set());
  const [zoom, setZoom] = useState<readonly [number, number]>();
  const [top, setTop] = useState(0);
  const scroller = useRef<HTMLDivElement>(null);
  const { ref: sized, width: measuredWidth, height: measuredHeight } = useElementSize<HTMLDivElement>();
  const ref = useMergedRef(sized, scroller);
  const width = measuredWidth || 872;
  const height = measuredHeight || 560;

  const depth = useMemo(() => depths(spans), [spans]);
  const ends = useMemo(() => subtreeEnds(spans), [spans]);
  const rows = useMemo(() => seenRows(spans, folded), [spans, folded]);
  const rowOf = useMemo(() => rowOfSpan(spans, rows), [spans, rows]);
  const stretches = useMemo(() => stretchesOf(trace.path), [trace]);
  const failures = useMemo(() => new Map(trace.failures.map(({ span, part }) => [span, part.role])), [trace]);
  const whole = useMemo(() => extent(trace), [trace]);

  const [from, to] = zoom ?? whole;
  const barsWidth = width - NAMES - RIGHT;
  const x = useMemo(() => scaleLinear([from, to], [0, barsWidth]), [from, to, barsWidth]);
  const firstRow = Math.floor(top / ROW);
  const endRow = Math.min(rows.length, Math.ceil((top + height) / ROW) + 1);
  const thread = useMemo(
    () => threadPath(trace.path, rowOf, { firstRow, endRow, x, y: (row) => (row - firstRow) * ROW + THREAD_Y }),
    [trace, rowOf, firstRow, endRow, x],
  );

  const show = (span: number) => {
    const hidden: number[] = [];
    for (let at = spans.parent[span]; at >= 0; at = spans.parent[at]) if (folded.has(at)) hidden.push(at);
    // A row within a fold is unfolded first; the row's place is then another.
    let row = rowOf[span];
    if (hidden.length > 0) {
      const less = new Set(folded);
      for (const at of hidden) less.delete(at);
      setFolded(less);
      row = rowOfSpan(spans, seenRows(spans, less))[span];
    }
    choose(span);
    const element = scroller.current;
    if (!element) return;
    if (row * ROW < element.scrollTop) element.scrollTop = row * ROW;
    else if ((row + 1) * ROW > element.scrollTop + height) element.scrollTop = (row + 1) * ROW - height;
  };
  const fold = (span: number, closed: boolean) => {
    const next = new Set(folded);
    if (closed) next.add(span);
    else next.delete(span);
    setFolded(next);
  };
  usePageKeys(
    keysOf({
      trace,
      rows,
      rowOf,
      ends,
      folded,
      chosen,
      failures,
      show,
      fold,
      zoomTo: (span) => setZoom(span === undefined ? undefined : spanExtent(trace, span)),
      leave: () => {
        location.href = href('/traces');
      },
    }),
  );
  // A span named in the address is brought into sight once.
  // biome-ignore lint/correctness/useExhaustiveDependencies: only when the trace is another
  useEffect(() => show(chosen), [trace]);

  const hasFolds = folded.size > 0;
  return (
    <div className={styles.timeline} style={{ '--names': `${NAMES}px` } as React.CSSProperties}>
      <div className={styles.head}>
        <span className={styles.note}>
          {rows.length === spans.id.length
            ? `${rows.length.toLocaleString('en')} spans`
            : `${rows.length.toLocaleString('en')} of ${spans.id.length.toLocaleString('en')} spans shown`}
          {hasFolds && (
            <button type="button" onClick={() => setFolded(new Set())}>
              unfold all
            </button>
          )}
          {zoom && (
            <button type="button" onClick={() => setZoom(undefined)}>
              whole time
            </button>
          )}
        </span>
        <Axis x={x} width={barsWidth + RIGHT} onZoom={(range) => setZoom(range)} />
      </div>
      <div
        ref={ref}
        className={styles.scroller}
        onScroll={(event) => {
          const next = event.currentTarget.scrollTop;
          flushSync(() => setTop(next));
        }}
      >
        <div style={{ height: rows.length * ROW }}>
          <div
            className={styles.layer}
            style={{ height: Math.min(height, rows.length * ROW) }}
            role="treegrid"
            aria-label="Spans"
            aria-rowcount={rows.length}
            tabIndex={0}
            aria-activedescendant={`span-${chosen}`}
          >
            <div style={{ transform: `translateY(${-(top % ROW)}px)` }}>
              <svg
                className={styles.lines}
                style={{ left: NAMES }}
                width={barsWidth + RIGHT}
                height={(endRow - firstRow) * ROW}
                aria-hidden="true"
              >
                {x.ticks(8).map((tick) => (
                  <line key={tick} x1={x(tick)} x2={x(tick)} y1={0} y2={(endRow - firstRow) * ROW} />
                ))}
              </svg>
              {rows.slice(firstRow, endRow).map((span, at) => (
                <SpanRow
                  key={span}
                  trace={trace}
                  span={span}
                  row={firstRow + at}
                  depth={depth[span]}
                  descendants={ends[span] - span - 1}
                  folded={folded.has(span)}
                  chosen={chosen === span}
                  failure={failures.get(span)}
                  stretches={stretches.get(span)}
                  litLine={litLine}
                  x={x}
                  width={barsWidth}
                  choose={choose}
                  fold={fold}
                />
              ))}
              <svg
                className={styles.thread}
                style={{ left: NAMES }}
                width={barsWidth + RIGHT}
                height={(endRow - firstRow) * ROW}
                aria-hidden="true"
              >
                <path data-part="thread" d={thread} />
              </svg>
            </div>
          </div>
        </div>
      </div>
    </div>
  );
}

function extent({ spans }: TraceTimeline): readonly [number, number] {
  let first = Number.POSITIVE_INFINITY;
  let last = 0;
  for (let at = 0; at < spans.id.length; at++) {
    first = Math.min(first, spans.startNs[at]);
    last = Math.max(last, spans.startNs[at] + spans.durationNs[at]);
  }
  return [Math.min(first, 0), Math.max(last, first + 1)];
}

function spanExtent({ spans }: TraceTimeline, span: number): readonly [number, number] {
  const length = Math.max(1, spans.durationNs[span]);
  return [spans.startNs[span] - length * 0.03, spans.startNs[span] + length * 1.03];
}
