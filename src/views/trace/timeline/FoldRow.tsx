import { IconChevronDown, IconChevronRight } from '@tabler/icons-react';
import { memo } from 'react';
import { formatCount } from '../../../core/measures/amount.ts';
import { formatDuration } from '../../../core/time/duration.ts';
import { colourOf, ServiceMark } from '../../../ui/list/ServiceMark.tsx';
import { StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { shownName } from '../../../ui/list/shownName.ts';
import { Cells } from './Cells.tsx';
import { barAt, labelAt, type RowView } from './rowView.ts';
import styles from './SpanRow.module.css';
import { indentOf } from './SpanRow.tsx';

interface FoldRowProps {
  readonly view: RowView;
  readonly fold: number;
  readonly row: number;
  readonly depth: number;
  readonly open: boolean;
  readonly chosen: boolean;
  readonly choose: (fold: number) => void;
  readonly toggle: (fold: number) => void;
}

/** Like siblings in one row: how many, their bars in one, total and spread, and what pattern they make. */
export const FoldRow = memo(function FoldRow({ view, fold, row, depth, open, chosen, choose, toggle }: FoldRowProps) {
  const { trace, width } = view;
  const { members, totalNs, minNs, medianNs, maxNs, failed, manySmall, onPathNs } = trace.folds[fold];
  const [first] = members;
  const serviceName = trace.services[trace.spans.service[first]];
  const operation = shownName(trace.operations[trace.spans.operation[first]]);
  const pieces = mergedBars(view, members);
  const whole = { left: pieces[0]?.[0] ?? 0, right: pieces.at(-1)?.[1] ?? 0, out: pieces.length === 0 };
  const label = labelAt(whole, width);
  const spread = `${formatDuration(minNs)} to ${formatDuration(maxNs)}, half under ${formatDuration(medianNs)}`;
  const isLit = (set: ReadonlySet<number> | undefined) => set === undefined || members.some((it) => set.has(it));
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the timeline's keys choose rows
    <div
      id={`fold-${fold}`}
      role="row"
      className={styles.row}
      data-fold="true"
      data-chosen={chosen}
      data-off={onPathNs === 0}
      data-dim={!isLit(view.litSpans) || !isLit(view.matches)}
      aria-level={depth + 1}
      aria-rowindex={row + 1}
      aria-selected={chosen}
      aria-expanded={open}
      tabIndex={-1}
      onClick={() => choose(fold)}
    >
      <div role="gridcell" className={styles.name} style={{ paddingLeft: indentOf(depth) }}>
        <button
          type="button"
          tabIndex={-1}
          className={styles.fold}
          aria-label={open ? `Fold ${members.length} ${operation}` : `Unfold ${members.length} ${operation}`}
          onClick={(event) => {
            event.stopPropagation();
            toggle(fold);
          }}
        >
          {open ? <IconChevronDown size={12} /> : <IconChevronRight size={12} />}
        </button>
        <ServiceMark service={serviceName} />
        <span className={`mono ${styles.times}`}>{formatCount(members.length)}×</span>
        {failed > 0 && <StateGlyph state="failing" word={`${failed} of them failed`} />}
        <span className={styles.words} title={`${members.length} × ${serviceName} ${operation}: ${spread}`}>
          <b>{shownName(serviceName)}</b> {operation}
        </span>
        {manySmall && <span className={styles.pattern}>many small queries</span>}
      </div>
      <Cells view={view} span={undefined} />
      <div role="gridcell" className={styles.bars}>
        <svg className={styles.pieces} width={width} height={9} aria-hidden="true">
          {pieces.map(([left, right]) => (
            <rect key={left} x={left} width={Math.max(1, right - left)} height={9} fill={colourOf(serviceName)} />
          ))}
        </svg>
        {!whole.out && (
          <span
            className={`mono ${styles.took}`}
            style={{ left: label.left, right: label.right }}
            data-inside={label.inside}
            title={`${spread}; ${formatDuration(onPathNs)} on the critical path`}
          >
            Σ {formatDuration(totalNs)}
          </span>
        )}
      </div>
    </div>
  );
});

/** The bars of some spans as pixels, those that touch in one; members come by start. */
function mergedBars(view: RowView, members: readonly number[]): [number, number][] {
  const { startNs, durationNs } = view.trace.spans;
  const merged: [number, number][] = [];
  for (const member of members) {
    const { left, right, out } = barAt(view, startNs[member], startNs[member] + durationNs[member]);
    if (out) continue;
    const last = merged.at(-1);
    if (last && left <= last[1] + 1) last[1] = Math.max(last[1], right);
    else merged.push([left, Math.max(right, left + 1)]);
  }
  return merged;
}
