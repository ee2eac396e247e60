import { useState } from 'react';
import { GIVEN_KINDS, PIN_KINDS, type Pin } from '../../core/casebook/pin.ts';
import { windowAt } from '../../core/scope/scope.ts';
import { clockRange, dayTime } from '../../core/time/clock.ts';
import styles from '../../ui/casebook/Casebook.module.css';
import { EvidenceView } from '../../ui/evidence/EvidenceView.tsx';
import { usePinNow } from '../../ui/queries/casebook.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import page from './Case.module.css';

/** Rows that a table or list of a figure shows at first. */
const ROWS = 5;

/** A pin as a figure: what was seen then, and on request the same now beside it. */
export function PinFigure({ caseId, pin, number }: { caseId: number; pin: Pin; number: number }) {
  const zone = useZone();
  const { scope } = useScope();
  const [against, setAgainst] = useState<Record<string, string>>();
  const now = usePinNow(caseId, pin.id, against);
  const [first, ...rest] = pin.evidence;
  const today = Date.now();
  const canAsk = !GIVEN_KINDS.some((it) => it === pin.kind);
  const hasWindow = pin.scope.to > pin.scope.from;
  const window = windowAt(scope.lit, today);
  const iso = (ms: number) => new Date(ms).toISOString();
  return (
    <section id={`figure-${number}`} className={page.pin} aria-label={`Figure ${number}: ${pin.title}`}>
      {against && <p className={page.then}>then, {spanOf(pin.scope, zone, today)}</p>}
      {first && <EvidenceView evidence={first} zone={zone} rows={ROWS} />}
      {rest.length > 0 && (
        <details className={page.more}>
          <summary>
            {rest.length} more: {rest.map(({ title }) => title).join('; ')}
          </summary>
          {rest.map((it, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: the evidence is frozen
            <EvidenceView key={at} evidence={it} zone={zone} />
          ))}
        </details>
      )}
      {against && (
        <div className={page.now}>
          <p className={page.then}>
            now{now.data ? `, ${spanOf(now.data.scope, zone, today)}` : ' …'}{' '}
            <button type="button" className={styles.quiet} onClick={() => setAgainst(undefined)}>
              put away
            </button>
          </p>
          {now.error && <p role="alert">{now.error.message}</p>}
          {now.data?.evidence.map((it, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: they come in one order
            <EvidenceView key={at} evidence={it} zone={zone} rows={ROWS} />
          ))}
        </div>
      )}
      <p className={page.caption}>
        <i>
          fig. {number} · {pin.title}
        </i>{' '}
        <span title={`frozen ${dayTime(pin.at, zone, today)}${pin.by === '' ? '' : ` by ${pin.by}`}`} suppressHydrationWarning>
          {PIN_KINDS[pin.kind]}, {spanOf(pin.scope, zone, today)}
        </span>{' '}
        <a href={pin.path}>open the page</a>
        {canAsk && hasWindow && (
          <button
            type="button"
            className={styles.quiet}
            onClick={() => setAgainst({ from: iso(window.from), to: iso(window.to) })}
          >
            hold against the lit window
          </button>
        )}
        {canAsk && (
          <button
            type="button"
            className={styles.quiet}
            onClick={() => setAgainst(hasWindow ? { from: iso(pin.scope.from), to: iso(pin.scope.to) } : {})}
          >
            ask the same again
          </button>
        )}
        {pin.rawBytes > 0 && (
          <a href={`/api/casebook/${caseId}/pins/${pin.id}/raw`} download>
            raw
          </a>
        )}
      </p>
    </section>
  );
}

function spanOf({ from, to }: { from: number; to: number }, zone: string, today: number): string {
  return to > from ? clockRange(from, to, zone, today) : dayTime(from, zone, today);
}
