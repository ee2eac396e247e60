import { IconChevronDown, IconChevronRight } from '@tabler/icons-react';
import { memo } from 'react';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import { formatDuration } from '../../core/time/duration.ts';
import type { LedgerLine } from '../../ui/ledger/Ledger.tsx';
import { colourOf, ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import styles from './SpanRow.module.css';

const INDENT = 13;
/** Deeper than this the indent grows no more: the names must keep their room. */
const DEEPEST = 11;
/** Room that a duration takes beside its bar, pixels. */
const LABEL = 74;

interface SpanRowProps {
  readonly trace: TraceTimeline;
  readonly span: number;
  readonly row: number;
  readonly depth: number;
  readonly descendants: number;
  readonly folded: boolean;
  readonly chosen: boolean;
  readonly failure: string | undefined;
  /** Its stretches of the critical path, as positions there. */
  readonly stretches: readonly number[] | undefined;
  readonly litLine: LedgerLine | undefined;
  readonly x: (ns: number) => number;
  readonly width: number;
  readonly choose: (span: number) => void;
  readonly fold: (span: number, closed: boolean) => void;
}

/** One span: its name in the tree, its bar, the stretches of the critical path that are its own bright within it. */
export const SpanRow = memo(function SpanRow(props: SpanRowProps) {
  const { trace, span, row, depth, descendants, folded, chosen, failure, stretches, litLine, x, width, choose, fold } = props;
  const { spans, path } = trace;
  const service = shownName(trace.services[spans.service[span]]);
  const operation = shownName(trace.operations[spans.operation[span]]);
  const start = spans.startNs[span];
  const end = start + spans.durationNs[span];
  const left = clamp(x(start), width);
  const right = clamp(x(end), width);
  const isOut = x(end) < 0 || x(start) > width;
  const text = formatDuration(spans.durationNs[span]);
  const colour = colourOf(trace.services[spans.service[span]]);
  // The duration stands behind the bar; where there is no room, before it; where neither, on it, at its end.
  const label =
    right + LABEL < width + 14
      ? { left: right + 8 }
      : left > LABEL
        ? { right: width - left + 22 }
        : { left: right - LABEL, inside: true };
  const dim = litLine !== undefined && !(stretches && isOfLine(trace, span, litLine));
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
      <div role="gridcell" className={styles.name} style={{ paddingLeft: Math.min(depth, DEEPEST) * INDENT }}>
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
        {folded && <span className={styles.count}>+{descendants.toLocaleString('en')}</span>}
      </div>
      <div role="gridcell" className={styles.bars}>
        {!isOut && <span className={styles.bar} style={{ left, width: Math.max(2, right - left), background: colour }} />}
        {stretches?.slice(0, 200).map((at) => {
          const from = clamp(x(path.startNs[at]), width);
          const to = clamp(x(path.endNs[at]), width);
          return to > from ? (
            <span key={at} className={styles.own} style={{ left: from, width: Math.max(1, to - from), background: colour }} />
          ) : null;
        })}
        {!isOut && (
          <span
            className={`mono ${styles.took}`}
            style={{ left: label.left, right: label.right }}
            data-inside={'inside' in label}
          >
            {text}
          </span>
        )}
      </div>
    </div>
  );
});

function clamp(x: number, width: number): number {
  return Math.min(Math.max(x, 0), width);
}

/** Whether a span's own time is in a line of the ledger. */
function isOfLine(trace: TraceTimeline, span: number, line: LedgerLine): boolean {
  return trace.lineOf[span] === trace.ledger.indexOf(line);
}
