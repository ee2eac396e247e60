import type { TraceTimeline } from '../../../api/traces/timeline.ts';
import { formatCount } from '../../../core/measures/amount.ts';
import { formatDuration } from '../../../core/time/duration.ts';
import { shownName } from '../../../ui/list/shownName.ts';
import type { Usual } from '../timeline/rowView.ts';
import styles from './SpanInspector.module.css';

interface FoldInspectorProps {
  readonly trace: TraceTimeline;
  readonly fold: number;
  readonly usual: Usual | undefined;
  readonly choose: (span: number) => void;
}

/** All about like siblings in one row: how many, how long together and each, what pattern they make, the way to the slowest. */
export function FoldInspector({ trace, fold, usual, choose }: FoldInspectorProps) {
  const { members, totalNs, minNs, medianNs, maxNs, onPathNs, failed, manySmall } = trace.folds[fold];
  const { durationNs, parent } = trace.spans;
  const nameOf = (span: number) =>
    `${shownName(trace.services[trace.spans.service[span]])} ${shownName(trace.operations[trace.spans.operation[span]])}`;
  const slowest = members.reduce((best, it) => (durationNs[it] > durationNs[best] ? it : best));
  const above = parent[members[0]];
  return (
    <section className={styles.inspector} aria-label="Span">
      <h2>
        <span className={styles.name}>
          {formatCount(members.length)} × {shownName(trace.operations[trace.spans.operation[members[0]]])}
        </span>
        <span className={styles.where}>{formatDuration(totalNs)} in all</span>
      </h2>
      {manySmall && (
        <p className={styles.pattern}>
          Many small queries: {nameOf(above)} asks {members.length} times where one question for all of them might do.
        </p>
      )}
      <dl className={styles.figures}>
        <Figure name="shortest" value={formatDuration(minNs)} />
        <Figure name="half under" value={formatDuration(medianNs)} />
        <Figure name="longest" value={formatDuration(maxNs)} />
        <Figure name="mean" value={formatDuration(totalNs / members.length)} />
        <Figure name="critical path" value={formatDuration(onPathNs)} />
        <Figure
          name={`of ${formatDuration(durationNs[above])} above`}
          value={`${((100 * totalNs) / Math.max(1, durationNs[above])).toFixed(0)} %`}
        />
        {usual?.p50Ns != null && <Figure name="usually each" value={formatDuration(usual.p50Ns)} />}
        {failed > 0 && <Figure name="failed" value={String(failed)} />}
      </dl>
      <p className={styles.ways}>
        <button type="button" onClick={() => choose(slowest)}>
          the longest
        </button>
        <button type="button" onClick={() => choose(members[0])}>
          the first
        </button>
        <button type="button" onClick={() => choose(above)}>
          who asks
        </button>
      </p>
    </section>
  );
}

function Figure({ name, value }: { name: string; value: string }) {
  return (
    <div>
      <dt>{name}</dt>
      <dd className="mono">{value}</dd>
    </div>
  );
}
