import { IconChevronDown, IconChevronRight } from '@tabler/icons-react';
import { memo } from 'react';
import { formatCount } from '../../../core/measures/amount.ts';
import { formatDuration } from '../../../core/time/duration.ts';
import { colourOf, ServiceMark } from '../../../ui/list/ServiceMark.tsx';
import { StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { shownName } from '../../../ui/list/shownName.ts';
import { Cells } from './Cells.tsx';
import { barAt, clampTo, labelAt, type RowView } from './rowView.ts';
import styles from './SpanRow.module.css';

const INDENT = 13;
/** Deeper than this the indent grows no more: the names must keep their room. */
const DEEPEST = 11;
/** Stretches of the path and events beyond these are not distinguished in one bar. */
const MOST_MARKS = 200;

export function indentOf(depth: number): number {
  return Math.min(depth, DEEPEST) * INDENT;
}

interface SpanRowProps {
  readonly view: RowView;
  readonly span: number;
  readonly row: number;
  readonly depth: number;
  readonly descendants: number;
  readonly folded: boolean;
  readonly chosen: boolean;
  readonly choose: (span: number) => void;
  readonly fold: (span: number, closed: boolean) => void;
}

/** One span: its name in the tree, its bar before the faint one of what is usual, the stretches of the critical path bright within it. */
export const SpanRow = memo(function SpanRow(props: SpanRowProps) {
  const { view, span, row, depth, descendants, folded, chosen, choose, fold } = props;
  const { trace, x, width } = view;
  const { spans, path } = trace;
  const service = shownName(trace.services[spans.service[span]]);
  const operation = shownName(trace.operations[spans.operation[span]]);
  const start = spans.startNs[span];
  const end = start + spans.durationNs[span];
  const bar = barAt(view, start, end);
  const text = formatDuration(spans.durationNs[span]);
  const colour = colourOf(trace.services[spans.service[span]]);
  const label = labelAt(bar, width);
  const stretches = view.stretches.get(span);
  const failure = view.failures.get(span);
  const usualNs = view.usualOf(span)?.p50Ns ?? null;
  const usual = usualNs === null ? undefined : barAt(view, start, start + usualNs);
  const tail = view.tails.get(span);
  const notes = view.notes.get(span);
  const dim =
    (view.litSpans !== undefined && !view.litSpans.has(span)) || (view.matches !== undefined && !view.matches.has(span));
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the timeline's keys choose rows
    <div
      id={`span-${span}`}
      role="row"
      className={styles.row}
      data-chosen={chosen}
      data-off={stretches === undefined}
      data-dim={dim}
      aria-level={depth + 1}
      aria-rowindex={row + 1}
      aria-selected={chosen}
      aria-expanded={descendants > 0 ? !folded : undefined}
      tabIndex={-1}
      onClick={() => choose(span)}
    >
      <div role="gridcell" className={styles.name} style={{ paddingLeft: indentOf(depth) }}>
        {descendants > 0 ? (
          <button
            type="button"
            tabIndex={-1}
            className={styles.fold}
            aria-label={folded ? `Unfold ${operation}` : `Fold ${operation}`}
            onClick={(event) => {
              event.stopPropagation();
              fold(span, !folded);
            }}
          >
            {folded ? <IconChevronRight size={12} /> : <IconChevronDown size={12} />}
          </button>
        ) : (
          <span className={styles.leaf} />
        )}
        <ServiceMark service={trace.services[spans.service[span]]} />
        {failure && (
          <StateGlyph
            state={failure === 'origin' ? 'failing' : 'strained'}
            word={failure === 'origin' ? 'the failure starts here' : 'passes a failure on'}
          />
        )}
        <span className={styles.words} title={`${service} ${operation}`}>
          <b>{service}</b> {operation}
        </span>
        {folded && <span className={styles.count}>+{formatCount(descendants)}</span>}
        {notes && (
          <span className={styles.count} title={notes.join(', ')}>
            {notes[0]}
          </span>
        )}
      </div>
      <Cells view={view} span={span} />
      <div role="gridcell" className={styles.bars}>
        {usual && !usual.out && (
          <span
            className={styles.usual}
            title={`usually ${formatDuration(usualNs!)}`}
            style={{ left: usual.left, width: Math.max(2, usual.right - usual.left) }}
          />
        )}
        {!bar.out && (
          <span className={styles.bar} style={{ left: bar.left, width: Math.max(2, bar.right - bar.left), background: colour }} />
        )}
        {stretches?.slice(0, MOST_MARKS).map((at) => {
          const from = clampTo(x(path.startNs[at]), width);
          const to = clampTo(x(path.endNs[at]), width);
          return to > from ? (
            <span
              key={at}
              className={styles.own}
              data-queued={path.queued.includes(at)}
              style={{ left: from, width: Math.max(1, to - from), ...(path.queued.includes(at) ? {} : { background: colour }) }}
            />
          ) : null;
        })}
        {tail !== undefined && !bar.out && (
          <span
            className={styles.tail}
            title={`${formatDuration(tail)} after its caller had given up`}
            style={{ left: clampTo(x(end - tail), width), width: Math.max(2, bar.right - clampTo(x(end - tail), width)) }}
          />
        )}
        {view.events
          .get(span)
          ?.slice(0, MOST_MARKS)
          .map((at) => {
            const place = x(trace.events.startNs[at]);
            if (place < 0 || place > width) return null;
            return (
              <i
                key={at}
                className={styles.event}
                style={{ left: place }}
                title={`${trace.operations[trace.events.name[at]] || 'event'} at ${formatDuration(trace.events.startNs[at])}`}
              />
            );
          })}
        {!bar.out && (
          <span className={`mono ${styles.took}`} style={{ left: label.left, right: label.right }} data-inside={label.inside}>
            {text}
          </span>
        )}
      </div>
    </div>
  );
});
