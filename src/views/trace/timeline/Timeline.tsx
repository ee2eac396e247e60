import { useElementSize, useMergedRef } from '@mantine/hooks';
import { scaleLinear } from 'd3-scale';
import { useEffect, useMemo, useRef, useState } from 'react';
import { flushSync } from 'react-dom';
import type { TraceTimeline } from '../../../api/traces/timeline.ts';
import { formatCount } from '../../../core/measures/amount.ts';
import { usePageKeys } from '../../../ui/keys/pageKeys.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { Axis } from './Axis.tsx';
import { FoldRow } from './FoldRow.tsx';
import { foldOfRow, foldRow, foldsOf, type Opened, openedFor, outline, subtreeEnds } from './outline.ts';
import { PathStrip, wheelZoom } from './PathStrip.tsx';
import { type Column, eventsBySpan, notesOf, type RowView, type Usual } from './rowView.ts';
import { SpanRow } from './SpanRow.tsx';
import styles from './Timeline.module.css';
import { stretchesOf, threadPath } from './thread.ts';
import { keysOf } from './timelineKeys.ts';

const ROW = 28;
const NAMES = 296;
const COLUMN = 104;
/** The thread runs this far below a row's top: under the bar. */
const THREAD_Y = 21;
/** Air at the right of the bars, so that the last duration has room. */
const RIGHT = 14;

const NOTHING_OPEN: Opened = { closed: new Set(), open: new Set(), byService: false };

interface TimelineProps {
  readonly trace: TraceTimeline;
  /** A span or a fold, as rows name them. */
  readonly chosen: number;
  readonly choose: (row: number) => void;
  /** The line of the ledger whose stretches are lit. */
  readonly litLine: number | undefined;
  readonly byService: boolean;
  readonly showAll: () => void;
  readonly usualOf: (span: number) => Usual | undefined;
  readonly columns: readonly Column[];
  /** Spans that fit what is searched. */
  readonly matches: ReadonlySet<number> | undefined;
  readonly search: () => void;
}

/**
 * The tree of spans beside their time, the critical path running through the rows.
 *
 * Only the rows in sight are in the page, in a layer that stays put while the scroller moves, so that fast scrolling never shows
 * empty rows.
 */
export function Timeline(props: TimelineProps) {
  const { trace, chosen, choose, litLine, byService, showAll, usualOf, columns, matches, search } = props;
  const { href } = useScope();
  const { spans, folds } = trace;
  const [own, setOwn] = useState(NOTHING_OPEN);
  const opened = useMemo(() => ({ ...own, byService }), [own, byService]);
  const [zoom, setZoom] = useState<readonly [number, number]>();
  const [top, setTop] = useState(0);
  const scroller = useRef<HTMLDivElement>(null);
  const { ref: sized, width: measuredWidth, height: measuredHeight } = useElementSize<HTMLDivElement>();
  const ref = useMergedRef(sized, scroller);
  const width = measuredWidth || 872;
  const height = measuredHeight || 560;
  const namesWidth = NAMES + columns.length * COLUMN;

  const ends = useMemo(() => subtreeEnds(spans), [spans]);
  const foldOf = useMemo(() => foldsOf(folds, spans.id.length), [folds, spans]);
  const { rows, depth, rowOf } = useMemo(() => outline(spans, folds, opened), [spans, folds, opened]);
  const stretches = useMemo(() => stretchesOf(trace.path), [trace]);
  const failures = useMemo(() => new Map(trace.failures.map(({ span, part }) => [span, part.role])), [trace]);
  const events = useMemo(() => eventsBySpan(trace), [trace]);
  const told = useMemo(() => notesOf(trace), [trace]);
  const whole = useMemo(() => extent(trace), [trace]);
  const litSpans = useMemo(() => (litLine === undefined ? undefined : new Set(trace.litBy[litLine])), [trace, litLine]);

  const [from, to] = zoom ?? whole;
  const barsWidth = Math.max(120, width - namesWidth - RIGHT);
  const x = useMemo(() => scaleLinear([from, to], [0, barsWidth]), [from, to, barsWidth]);
  const firstRow = Math.floor(top / ROW);
  const endRow = Math.min(rows.length, Math.ceil((top + height) / ROW) + 1);
  const thread = useMemo(
    () => threadPath(trace.path, rowOf, { firstRow, endRow, x, y: (row) => (row - firstRow) * ROW + THREAD_Y }),
    [trace, rowOf, firstRow, endRow, x],
  );
  const view: RowView = useMemo(
    () => ({ trace, x, width: barsWidth, stretches, failures, usualOf, litSpans, matches, events, columns, ...told }),
    [trace, x, barsWidth, stretches, failures, usualOf, litSpans, matches, events, columns, told],
  );

  const rowOfChosen = chosen < 0 ? Math.max(0, rows.indexOf(chosen)) : rowOf[chosen];
  const show = (target: number) => {
    let row = target < 0 ? rows.indexOf(target) : rowOf[target];
    // What is hidden is opened first; the row's place is then another.
    if (target >= 0 && rows[row] !== target) {
      const next = openedFor(target, spans, foldOf, opened);
      if (byService && !next.byService) showAll();
      setOwn(next);
      row = outline(spans, folds, next).rowOf[target];
    }
    choose(target);
    const element = scroller.current;
    if (!element) return;
    const seen = element.clientHeight;
    if (row * ROW >= element.scrollTop && (row + 1) * ROW <= element.scrollTop + seen) return;
    // A step to the next row moves by a row; what is further off comes to the middle.
    const isNear = Math.abs(row - rowOfChosen) <= 1;
    if (!isNear) element.scrollTop = (row + 0.5) * ROW - seen / 2;
    else element.scrollTop = row * ROW < element.scrollTop ? row * ROW : (row + 1) * ROW - seen;
  };
  const fold = (span: number, shut: boolean) => setOwn({ ...own, closed: turned(own.closed, span, shut) });
  const toggleFold = (it: number) => setOwn({ ...own, open: turned(own.open, it, !own.open.has(it)) });
  usePageKeys(
    keysOf({
      trace,
      rows,
      rowOfChosen,
      ends,
      opened,
      chosen,
      failures,
      matches,
      show,
      fold,
      toggleFold,
      search,
      zoomTo: (target) => setZoom(target === undefined ? undefined : rowExtent(trace, target)),
      leave: () => {
        location.href = href('/traces');
      },
    }),
  );
  // A span named in the address is brought into sight once.
  // biome-ignore lint/correctness/useExhaustiveDependencies: only when the trace is another
  useEffect(() => {
    const element = scroller.current;
    if (element && (rowOfChosen + 1) * ROW > element.clientHeight)
      element.scrollTop = (rowOfChosen + 0.5) * ROW - element.clientHeight / 2;
    if (chosen >= 0 && rows[rowOfChosen] !== chosen) show(chosen);
  }, [trace.traceId]);
  // Of what is searched, the first is brought into sight.
  // biome-ignore lint/correctness/useExhaustiveDependencies: only when what is found is another
  useEffect(() => {
    if (matches && matches.size > 0 && !matches.has(chosen)) show(Math.min(...matches));
  }, [matches]);

  const hidden = useMemo(
    () => folds.reduce((sum, { members }, at) => sum + (own.open.has(at) ? 0 : members.length), 0),
    [folds, own],
  );
  return (
    <div
      className={styles.timeline}
      style={
        {
          '--names': `${namesWidth}px`,
          '--tracks': `${NAMES}px ${columns.map(() => `${COLUMN}px `).join('')}minmax(0, 1fr)`,
        } as React.CSSProperties
      }
    >
      <div className={styles.head}>
        <span className={styles.note} style={{ width: NAMES }}>
          {formatCount(spans.id.length)} spans
          {!byService && folds.length > 0 && (
            <button type="button" onClick={() => setOwn({ ...own, open: hidden > 0 ? new Set(folds.keys()) : new Set() })}>
              {hidden > 0 ? `${formatCount(hidden)} alike folded` : 'fold like ones'}
            </button>
          )}
          {own.closed.size > 0 && (
            <button type="button" onClick={() => setOwn({ ...own, closed: new Set() })}>
              unfold all
            </button>
          )}
          {zoom && (
            <button type="button" onClick={() => setZoom(undefined)}>
              whole time
            </button>
          )}
        </span>
        {columns.map(({ key, title }) => (
          <span key={key} className={styles.columnHead} style={{ width: COLUMN }} title={title}>
            {title}
          </span>
        ))}
        <div className={styles.time} style={{ left: namesWidth }}>
          <PathStrip trace={trace} whole={whole} seen={[from, to]} width={barsWidth} zoom={setZoom} />
          <Axis x={x} width={barsWidth + RIGHT} onZoom={(range) => setZoom(range)} />
        </div>
      </div>
      <div
        ref={ref}
        className={styles.scroller}
        onScroll={(event) => {
          const next = event.currentTarget.scrollTop;
          flushSync(() => setTop(next));
        }}
        onWheel={(event) => {
          if (!event.shiftKey) return;
          const at = event.clientX - event.currentTarget.getBoundingClientRect().left - namesWidth;
          if (at > 0) setZoom(wheelZoom(event, x, at, whole));
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
            aria-activedescendant={chosen < 0 ? `fold-${foldOfRow(chosen)}` : `span-${chosen}`}
          >
            <div style={{ transform: `translateY(${-(top % ROW)}px)` }}>
              <svg
                className={styles.lines}
                style={{ left: namesWidth }}
                width={barsWidth + RIGHT}
                height={(endRow - firstRow) * ROW}
                aria-hidden="true"
              >
                {x.ticks(8).map((tick) => (
                  <line key={tick} x1={x(tick)} x2={x(tick)} y1={0} y2={(endRow - firstRow) * ROW} />
                ))}
              </svg>
              {rows.slice(firstRow, endRow).map((it, at) => {
                const row = firstRow + at;
                return it < 0 ? (
                  <FoldRow
                    key={it}
                    view={view}
                    fold={foldOfRow(it)}
                    row={row}
                    depth={depth[row]}
                    open={own.open.has(foldOfRow(it))}
                    chosen={chosen === it}
                    choose={(group) => choose(foldRow(group))}
                    toggle={toggleFold}
                  />
                ) : (
                  <SpanRow
                    key={it}
                    view={view}
                    span={it}
                    row={row}
                    depth={depth[row]}
                    descendants={byService ? 0 : ends[it] - it - 1}
                    folded={own.closed.has(it)}
                    chosen={chosen >= 0 && row === rowOfChosen}
                    choose={choose}
                    fold={fold}
                  />
                );
              })}
              <svg
                className={styles.thread}
                style={{ left: namesWidth }}
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

function turned(set: ReadonlySet<number>, it: number, into: boolean): Set<number> {
  const next = new Set(set);
  if (into) next.add(it);
  else next.delete(it);
  return next;
}

function extent({ spans, path }: TraceTimeline): readonly [number, number] {
  let first = Number.POSITIVE_INFINITY;
  let last = path.endNs.at(-1) ?? 0;
  for (let at = 0; at < spans.id.length; at++) {
    first = Math.min(first, spans.startNs[at]);
    last = Math.max(last, spans.startNs[at] + spans.durationNs[at]);
  }
  return [Math.min(first, 0), Math.max(last, first + 1)];
}

/** The time of a row, with a little air. */
function rowExtent({ spans, folds }: TraceTimeline, row: number): readonly [number, number] {
  const members = row < 0 ? folds[foldOfRow(row)].members : [row];
  let start = Number.POSITIVE_INFINITY;
  let end = 0;
  for (const span of members) {
    start = Math.min(start, spans.startNs[span]);
    end = Math.max(end, spans.startNs[span] + spans.durationNs[span]);
  }
  const air = Math.max(1, end - start) * 0.03;
  return [start - air, end + air];
}
