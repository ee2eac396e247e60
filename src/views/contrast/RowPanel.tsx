import type { ContrastAnswer, ContrastRow } from '../../api/contrast/contrast.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { type Scope, withChip } from '../../core/scope/scope.ts';
import { dayTime } from '../../core/time/clock.ts';
import type { Pinnable } from '../../ui/casebook/pinnables.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import styles from './Contrast.module.css';
import { KeepLead } from './KeepLead.tsx';
import { amountWords, fieldWords, setWords, shareWords, signedAmount } from './words.ts';

interface RowPanelProps {
  readonly row: ContrastRow;
  readonly answer: ContrastAnswer;
  readonly canPeel: boolean;
  /** Whether there is a whole that it explains a share of. */
  readonly hasWhole: boolean;
  readonly now: number;
  readonly peel: () => void;
  /** The row as it is pinned. */
  readonly lead: Pinnable | undefined;
}

/** One hypothesis: its figures, its requests, and what to do with it. */
export function RowPanel({ row, answer, canPeel, hasWhole, now, peel, lead }: RowPanelProps) {
  const { scope, href, change } = useScope();
  const zone = useZone();
  const { outcome, byOutcome, toExplain } = answer;
  const { withA, withoutA, withB } = row.means;
  const figure = (amount: number) => (hasWhole ? shareWords(amount / toExplain) : signedAmount(amount, outcome));
  const narrowed = row.where.reduce<Scope>((of, it) => withChip(of, it), scope);
  const mean = (value: number | null) => (value === null ? 'none' : amountWords(value, outcome));
  return (
    <section className={styles.detail} aria-label="The chosen hypothesis">
      <h2>{setWords(row)}</h2>
      <p className="dim">{fieldWords(row)}</p>
      <p>
        <b className="mono">{formatCount(Math.round(row.requests.a))}</b> of {formatCount(Math.round(answer.a.requests))} in A,{' '}
        <b className="mono">{formatCount(Math.round(row.requests.b))}</b> of {formatCount(Math.round(answer.b.requests))} in B
      </p>
      {!(byOutcome && outcome === 'failures') && (
        <p>
          {outcome === 'duration' ? 'mean' : 'failing'} <b className="mono">{mean(withA)}</b> with it
          {withoutA !== null && (
            <>
              , <b className="mono">{mean(withoutA)}</b> without, in A
            </>
          )}
          {withB !== null && !byOutcome && (
            <>
              ; <b className="mono">{mean(withB)}</b> with it in B
            </>
          )}
        </p>
      )}
      {!byOutcome && (
        <p>
          {outcome === 'duration' ? 'they are slower' : 'they fail more'}{' '}
          <b className="mono">{amountWords(row.behaviour, outcome)}</b>
          {row.mix !== 0 && (
            <>
              , there are more of them <b className="mono">{amountWords(row.mix, outcome)}</b>
            </>
          )}
        </p>
      )}
      {row.firstAt !== null && (
        <p>
          first in A at <b className="mono">{dayTime(row.firstAt, zone, now)}</b>
          {row.users > 0 && (
            <>
              {' '}
              · <b className="mono">{formatCount(row.users)}</b> users
            </>
          )}
        </p>
      )}
      <p className="dim">
        {row.sure ? chanceWords(row.chance) : 'It may be nothing: so few requests cannot tell it from chance.'}
      </p>
      {row.examples.length > 0 && (
        <p>
          seen in{' '}
          {row.examples.map((id) => (
            <a key={id} className="mono" href={href(`/traces/${id}`)} suppressHydrationWarning>
              {id.slice(0, 8)}{' '}
            </a>
          ))}
        </p>
      )}
      <p className={styles.actions}>
        <button type="button" className={styles.main} onClick={() => change(narrowed)}>
          Narrow to it
        </button>
        {lead && <KeepLead lead={lead} />}
        {canPeel && (
          <button type="button" onClick={peel}>
            Peel off
          </button>
        )}
        <a href={href('/traces', narrowed)} suppressHydrationWarning>
          Traces
        </a>
        <a href={href('/map', narrowed)} suppressHydrationWarning>
          Map
        </a>
      </p>
      {row.twins.length > 0 && (
        <>
          <h3>Says the same</h3>
          <ul>
            {row.twins.map((it) => (
              <li key={it.key} title={it.key}>
                {setWords(it)} <span className="dim">{fieldWords(it)}</span>
              </li>
            ))}
          </ul>
        </>
      )}
      {row.containedIn.length > 0 && (
        <>
          <h3>Larger sets that contain it</h3>
          <ul>
            {row.containedIn.slice(0, 6).map((it) => (
              <li key={it.key} title={it.key}>
                {setWords(it)}
              </li>
            ))}
          </ul>
        </>
      )}
      <p className="dim">
        {hasWhole ? `${figure(row.amount)} of the whole` : `${figure(row.amount)} of the mean of A`}, {figure(row.range[0])} to{' '}
        {figure(row.range[1])} 95 times in 100
      </p>
    </section>
  );
}

function chanceWords(chance: number): string {
  if (chance < 1e-6) return 'Chance alone would show this less than once in a million times.';
  const times = Math.round(1 / chance);
  return `Chance alone would show this about once in ${formatCount(Number(times.toPrecision(1)))} times.`;
}
