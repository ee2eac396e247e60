import type { TraceComparison } from '../../api/traces/compare.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { KIND_WORDS } from '../../core/trace/time/kindWords.ts';
import { shownName } from '../../ui/list/shownName.ts';
import styles from './Compare.module.css';
import { signed } from './words.ts';

/** Lines below this part of the largest are gathered in one. */
const SMALL = 0.01;

/** Where the difference sits, by place and kind: the lines sum to the difference of the durations. */
export function DifferenceLedger({ comparison }: { comparison: TraceComparison }) {
  const { ledger, a, b } = comparison;
  const difference = b.durationNs - a.durationNs;
  const most = Math.max(1, ...ledger.map((line) => Math.abs(line.bNs - line.aNs)));
  const sorted = [...ledger].sort((one, other) => Math.abs(other.bNs - other.aNs) - Math.abs(one.bNs - one.aNs));
  const shown = sorted.filter((line) => Math.abs(line.bNs - line.aNs) >= SMALL * most);
  const rest = sorted.slice(shown.length).reduce((sum, line) => sum + line.bNs - line.aNs, 0);
  return (
    <section>
      <h2>Where the difference sits</h2>
      <p className="dim">along the critical path; adds up exactly</p>
      <ul className={styles.ledger}>
        {shown.map(({ party, kind, aNs, bNs }) => {
          const gain = bNs - aNs;
          const wide = (Math.abs(gain) / most) * 50;
          return (
            <li key={`${kind} ${party}`}>
              <span className={styles.what}>
                <i style={{ background: `var(--t-${kind})` }} /> <b>{shownName(party)}</b> {KIND_WORDS[kind]}
              </span>
              <span className="mono" title={`${formatDuration(Math.round(aNs))} → ${formatDuration(Math.round(bNs))}`}>
                {signed(gain)}
              </span>
              <span className={styles.gain} aria-hidden="true">
                <i
                  style={{
                    left: `${gain < 0 ? 50 - wide : 50}%`,
                    width: `${Math.max(0.5, wide)}%`,
                    background: gain < 0 ? 'var(--before)' : `var(--t-${kind})`,
                  }}
                />
              </span>
            </li>
          );
        })}
        {sorted.length > shown.length && (
          <li>
            <span className="dim">{sorted.length - shown.length} smaller ones</span>
            <span className="mono dim">{signed(rest)}</span>
          </li>
        )}
        <li className={styles.sum}>
          <span>
            {formatDuration(Math.round(a.durationNs))} → {formatDuration(Math.round(b.durationNs))}
          </span>
          <span className="mono">{signed(difference)}</span>
        </li>
      </ul>
      {a.traceId === null && (
        <p className={`dim ${styles.about}`}>
          The typical one is the mean of the {a.traces} requests of this entry that went well and took nearest to the median, of{' '}
          {formatCount(a.of)}. A fainter bar is in some of them only.
        </p>
      )}
    </section>
  );
}
