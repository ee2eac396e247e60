import type { CodeFinding } from '../../api/code/findings.ts';
import { habitCost, percent, placeOf, shortName } from '../../core/profile/words.ts';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import styles from './Findings.module.css';

/** Shares on a log axis from 0.1 to 100 %. */
const LEAST = 0.001;

export function shareAt(share: number): number {
  return Math.min(1, Math.max(0, Math.log(Math.max(share, LEAST) / LEAST) / Math.log(1 / LEAST)));
}

interface FindingRowProps {
  readonly finding: CodeFinding;
  readonly isChosen: boolean;
  /** The most that any takes beyond what is usual. */
  readonly most: number;
  readonly choose: () => void;
}

/** A habit: where, its share against what is usual for it, what it takes beyond that, and what fixes came to. */
export function FindingRow({ finding: it, isChosen, most, choose }: FindingRowProps) {
  const counts = (it.verdict === 'over usual' || it.verdict === 'usual not known') && it.setAside === '';
  const isWorst = counts && (it.overUsual ?? 0) > 0.5 * most;
  const state = counts ? (isWorst ? 'failing' : 'strained') : it.verdict === 'not enough data' ? 'unknown' : 'calm';
  const words = {
    failing: 'far over usual',
    strained: 'over usual',
    unknown: 'not enough data',
    calm: it.setAside ? 'set aside' : 'in range',
  };
  const { usual } = it;
  return (
    <tr data-chosen={isChosen} data-counts={counts} onClick={choose}>
      <td>
        <StateGlyph state={state} word={words[state]} />
      </td>
      <td>
        <button type="button" onClick={choose} aria-pressed={isChosen}>
          {it.title}
        </button>
      </td>
      <td>
        <ServiceMark service={it.service} /> {it.service} {it.version}{' '}
        <code title={placeOf(it.place)}>
          {shortName(it.place.name)}:{it.place.line}
        </code>
      </td>
      <td>
        <span
          className={styles.range}
          title={
            usual
              ? `usual ${percent(usual.low)} to ${percent(usual.high)} %, from ${usual.shares.length} shares elsewhere`
              : 'what is usual is not known'
          }
        >
          {usual && (
            <i
              className={styles.usual}
              style={{
                left: `${100 * shareAt(usual.low)}%`,
                width: `${Math.max(1.5, 100 * (shareAt(usual.high) - shareAt(usual.low)))}%`,
              }}
            />
          )}
          {usual?.shares.map((share, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: shares have no names
            <i key={at} className={styles.one} style={{ left: `${100 * shareAt(share)}%` }} />
          ))}
          {counts && usual && (
            <i
              className={styles.way}
              style={{ left: `${100 * shareAt(usual.high)}%`, width: `${100 * (shareAt(it.share) - shareAt(usual.high))}%` }}
            />
          )}
          <i className={styles.here} data-counts={counts} style={{ left: `${100 * shareAt(it.share)}%` }} />
        </span>
      </td>
      <td className="mono">{percent(it.share)} %</td>
      <td className="mono">
        {counts && it.overUsual !== null && (
          <>
            {habitCost(it.overUsual, it.unit)}
            <i className={styles.over} style={{ width: `${it.unit === 'bytes' ? 100 : (100 * it.overUsual) / most}%` }} />
          </>
        )}
      </td>
      <td>
        {it.setAside ? (
          <span className="dim">set aside</span>
        ) : it.fixes ? (
          <span className={styles.fixed}>
            {it.fixes.tried} tried{it.fixes.best !== null && `, −${Math.round(100 * it.fixes.best)} %`}
          </span>
        ) : (
          counts && <span className="dim">none tried</span>
        )}
      </td>
    </tr>
  );
}
