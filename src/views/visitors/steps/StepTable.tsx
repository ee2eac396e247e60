import type { VisitorSteps } from '../../../api/visitors/steps.ts';
import { REASONS } from '../../../core/visits/funnel/funnel.ts';
import { ms, REASON_WORDS } from '../../../core/visits/words.ts';
import { StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { percent } from '../shares.ts';
import styles from './Steps.module.css';

const GLYPHS = { none: 'unknown', slow: 'perhaps', error: 'strained', crash: 'failing' } as const;

/** The figures of each step: how many go on and how long after, and why the others left. */
export function StepTable({
  answer: { steps, lit, before, at },
  choose,
}: {
  answer: VisitorSteps;
  choose: (step: number) => void;
}) {
  const columns = steps.slice(0, -1);
  const pair = (step: number, part: (of: (typeof lit)[number]) => number) => (
    <>
      <span className={styles.was}>{percent(part(before[step]), before[step].reached)}</span> →{' '}
      {percent(part(lit[step]), lit[step].reached)} %
    </>
  );
  return (
    <table className={styles.table}>
      <thead>
        <tr>
          <th />
          {columns.map(({ name }, step) => (
            <th key={name} data-chosen={step === at}>
              <button type="button" aria-pressed={step === at} onClick={() => choose(step)}>
                {name}
              </button>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        <tr>
          <th>went on</th>
          {columns.map(({ name }, step) => (
            <td key={name} data-chosen={step === at}>
              {pair(step, ({ wentOn }) => wentOn)}
            </td>
          ))}
        </tr>
        <tr>
          <th>after, p50</th>
          {columns.map(({ name }, step) => (
            <td key={name} data-chosen={step === at}>
              <span className={styles.was}>{ms(before[step].medianMs)}</span> → {ms(lit[step].medianMs)}
            </td>
          ))}
        </tr>
        {[...REASONS].reverse().map((reason) => (
          <tr key={reason}>
            <th>
              <StateGlyph state={GLYPHS[reason]} word="" /> {REASON_WORDS[reason]}
            </th>
            {columns.map(({ name }, step) => (
              <td key={name} data-chosen={step === at} data-none={lit[step].left[reason] + before[step].left[reason] === 0}>
                {lit[step].left[reason] + before[step].left[reason] === 0 ? '0' : pair(step, ({ left }) => left[reason])}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
