import { shortDuration } from '../../../core/time/duration.ts';
import { type State, StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import styles from '../Visitors.module.css';

/** Apdex of either window, with the word for it. */
export function ApdexFigures({ lit, before }: { lit: number | null; before: number | null }) {
  const [state, word] = ratedApdex(lit);
  return (
    <>
      <StateGlyph state={state} word={word} /> <span className={styles.was}>{before?.toFixed(2) ?? '–'}</span>→
      {lit?.toFixed(2) ?? '–'}
    </>
  );
}

function ratedApdex(apdex: number | null): readonly [State, string] {
  if (apdex === null) return ['unknown', 'not known'];
  if (apdex >= 0.85) return ['calm', 'good'];
  return apdex >= 0.7 ? ['strained', 'fair'] : ['failing', 'poor'];
}

const TARGETS = [500, 1_000, 2_000, 3_000, 5_000];

interface TargetSelectProps {
  readonly label: string;
  /** Milliseconds until ready that satisfy; undefined: those of all pages. */
  readonly value: number | undefined;
  /** Where the target of all pages can be chosen, what it is. */
  readonly ofAll?: number;
  readonly choose: (target: number) => void;
  readonly isDisabled?: boolean;
}

/** The T of Apdex. Chosen of all pages, it is 0. */
export function TargetSelect({ label, value, ofAll, choose, isDisabled = false }: TargetSelectProps) {
  const targets = [...new Set(value === undefined ? TARGETS : [...TARGETS, value])].sort((a, b) => a - b);
  return (
    <label>
      {label}{' '}
      <select value={value ?? 0} disabled={isDisabled} onChange={(event) => choose(Number(event.target.value))}>
        {ofAll !== undefined && <option value={0}>{shortDuration(ofAll * 1e6)}, as all pages</option>}
        {targets.map((it) => (
          <option key={it} value={it}>
            {shortDuration(it * 1e6)}
          </option>
        ))}
      </select>
    </label>
  );
}
