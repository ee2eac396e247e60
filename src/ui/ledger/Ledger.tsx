import { useState } from 'react';
import type { TraceTimeline } from '../../api/traces/timeline.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { KIND_WORDS } from '../../core/trace/time/kindWords.ts';
import { shownName } from '../list/shownName.ts';
import styles from './Ledger.module.css';

export type LedgerLine = TraceTimeline['ledger'][number];

interface LedgerProps {
  readonly lines: readonly LedgerLine[];
  /** The line that is lit, by its position. */
  readonly chosen: number | undefined;
  readonly choose: (line: number | undefined) => void;
}

/** Lines shown at first, and the share below which one is small. */
const FIRST_LINES = 8;
const SMALL = 0.002;

/** "Where the time went": lines of place and kind that add up to the whole exactly. A line lights its stretches. */
export function Ledger({ lines, chosen, choose }: LedgerProps) {
  const [whole, setWhole] = useState(false);
  const notable = lines.filter((line, at) => at < 3 || line.share >= SMALL).slice(0, FIRST_LINES).length;
  const rest = lines.slice(notable);
  const restNs = rest.reduce((sum, line) => sum + line.durationNs, 0);
  return (
    <div>
      <div className={styles.stripe} aria-hidden="true">
        {lines
          .filter((line) => line.share >= SMALL)
          .map((line, at) => (
            <span
              key={`${line.kind} ${line.party}`}
              style={{ width: `${line.share * 100}%`, background: `var(--t-${line.kind})` }}
              data-dim={chosen !== undefined && chosen !== at}
            />
          ))}
      </div>
      <ul className={styles.lines}>
        {lines.slice(0, whole || rest.length <= 1 ? lines.length : notable).map((line, at) => (
          <li key={`${line.kind} ${line.party}`}>
            <button type="button" aria-pressed={chosen === at} onClick={() => choose(chosen === at ? undefined : at)}>
              <span className={styles.swatch} style={{ background: `var(--t-${line.kind})` }} aria-hidden="true" />
              <span className={styles.party}>
                <b>{shownName(line.party)}</b> <span>{KIND_WORDS[line.kind]}</span>
              </span>
              <span className="mono" title={`${formatCount(line.durationNs)} ns`}>
                {formatDuration(line.durationNs)}
              </span>
              <span className={`mono dim ${styles.share}`}>{percent(line.share)}</span>
            </button>
          </li>
        ))}
        {rest.length > 1 && (
          <li>
            <button type="button" aria-expanded={whole} onClick={() => setWhole(!whole)}>
              <span />
              <span className="dim">{whole ? 'without the smaller ones' : `${rest.length} smaller ones`}</span>
              <span className="mono dim">{whole ? '' : formatDuration(restNs)}</span>
              <span className={`mono dim ${styles.share}`}>
                {whole ? '' : percent(rest.reduce((sum, line) => sum + line.share, 0))}
              </span>
            </button>
          </li>
        )}
      </ul>
    </div>
  );
}

function percent(share: number): string {
  const value = share * 100;
  return value > 0 && value < 0.05 ? '<0.1 %' : `${value.toFixed(1)} %`;
}
