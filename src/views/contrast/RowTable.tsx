import type { ContrastAnswer } from '../../api/contrast/contrast.ts';
import { formatCount } from '../../core/measures/amount.ts';
import styles from './Contrast.module.css';
import { PartBar } from './PartBar.tsx';
import type { Line } from './rows.ts';
import { SetSpread, spreadRange } from './SetSpread.tsx';
import { fieldWords, setWords, shareWords, signedAmount } from './words.ts';

interface RowTableProps {
  readonly lines: readonly Line[];
  readonly chosen: string | undefined;
  readonly choose: (key: string) => void;
  readonly peel: (key: string) => void;
  /** What there is to explain, and what is left of it. */
  readonly toExplain: number;
  readonly left: number;
  readonly isPeeled: boolean;
  /** The difference and what is left of it, in words. */
  readonly wholeWords: string;
  readonly leftWords: string;
  readonly stale: boolean;
  /** Whether there is a whole that rows explain shares of; else what they add to a request of A is shown. */
  readonly hasWhole: boolean;
  readonly outcome: ContrastAnswer['outcome'];
}

const STATE_WORDS: Readonly<Record<Line['state'], string>> = {
  peeled: 'peeled · ',
  sure: '',
  along: 'goes along with the first · ',
  maybe: 'may be nothing · ',
};

/** What may set the two populations apart, the best first. */
export function RowTable(props: RowTableProps) {
  const { lines, chosen, choose, peel, toExplain, left, isPeeled, wholeWords, leftWords, stale, hasWhole, outcome } = props;
  const full = hasWhole ? toExplain : Math.max(1e-9, ...lines.map(({ ofWhole }) => ofWhole?.amount ?? 0));
  const rows = lines.flatMap(({ row }) => row ?? []);
  const range = spreadRange(rows);
  const most = Math.max(1, ...lines.map(({ ofWhole }) => ofWhole?.requests.a ?? 0));
  return (
    <table className={styles.rows} data-stale={stale} aria-label="What sets the two apart">
      <thead>
        <tr>
          <th>hypothesis</th>
          <th className={styles.count}>of A, of B</th>
          <th>{rows.some(({ withSet }) => withSet.length > 0) ? 'with it above, not below' : 'failing with it, without'}</th>
          <th className={styles.figure} />
          <th>{hasWhole ? `of the whole ${wholeWords}` : 'added to the mean of A'}</th>
          <th className={styles.figure} />
          <th data-lamp={isPeeled}>{isPeeled ? `of what is left ${leftWords}` : ''}</th>
        </tr>
      </thead>
      <tbody>
        {lines.map((line) => {
          const { key, set, row, ofWhole, ofLeft, state } = line;
          const name = setWords(set);
          const [a, b] = [ofWhole?.requests.a ?? 0, ofWhole?.requests.b ?? 0];
          const faint = state === 'maybe' || state === 'along';
          return (
            <tr key={key} data-chosen={key === chosen} data-state={state} onDoubleClick={() => peel(key)}>
              <th scope="row">
                <button type="button" aria-pressed={key === chosen} title={key} onClick={() => choose(key)}>
                  <b>{name}</b>
                  <span>
                    {STATE_WORDS[state]}
                    {fieldWords(set)}
                    {row && row.twins.length > 0 && ` · ${row.twins.length} alike`}
                  </span>
                </button>
              </th>
              <td className={styles.count}>
                <span className={styles.inA}>
                  {formatCount(Math.round(a))} <i style={{ width: `${(26 * a) / most}px` }} />
                </span>
                <span className={styles.inB}>
                  {formatCount(Math.round(b))} <i style={{ width: `${Math.min(26, (26 * b) / most)}px` }} />
                </span>
              </td>
              <td>
                {row && (row.withSet.length > 0 ? <SetSpread row={row} range={range} name={name} /> : <Failing row={row} />)}
              </td>
              <td className={styles.figure} data-faint={faint}>
                {ofWhole && (hasWhole ? shareWords(ofWhole.amount / toExplain) : signedAmount(ofWhole.amount, outcome))}
              </td>
              <td>{ofWhole && <PartBar part={ofWhole} whole={full} faint={faint} wide={150} />}</td>
              <td className={styles.figure} data-faint={faint}>
                {ofLeft && shareWords(ofLeft.amount / left)}
              </td>
              <td>
                {state === 'peeled' ? (
                  <span className="dim">peeled off</span>
                ) : (
                  ofLeft && <PartBar part={ofLeft} whole={left} faint={faint} wide={116} />
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** How many fail with the set and without it, on both sides. */
function Failing({ row }: { row: NonNullable<Line['row']> }) {
  const { withA, withB, withoutA, withoutB } = row.means;
  const words = (a: number | null, b: number | null) =>
    [b, a]
      .filter((it) => it !== null)
      .map((it) => shareWords(it))
      .join(' → ');
  return (
    <span className={styles.failing}>
      <span>{words(withA, withB)}</span>
      <span>{words(withoutA, withoutB)}</span>
    </span>
  );
}
