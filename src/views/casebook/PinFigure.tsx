import { Menu } from '@mantine/core';
import { useState } from 'react';
import { tableOf } from '../../core/casebook/evidence/tableOf.ts';
import { GIVEN_KINDS, PIN_KINDS, type Pin } from '../../core/casebook/pin.ts';
import { windowAt } from '../../core/scope/scope.ts';
import { clockRange, dayTime } from '../../core/time/clock.ts';
import styles from '../../ui/casebook/Casebook.module.css';
import { EvidenceTable } from '../../ui/evidence/EvidenceTable.tsx';
import { EvidenceView, hasTableBehind } from '../../ui/evidence/EvidenceView.tsx';
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
      {first && <EvidenceView evidence={first} zone={zone} today={today} rows={ROWS} isBare />}
      {first && (rest.length > 0 || hasTableBehind(first)) && (
        <details className={page.more}>
          <summary>
            {[hasTableBehind(first) ? 'as a table' : '', ...rest.map(({ title }) => title)].filter((it) => it !== '').join(' · ')}
          </summary>
          {hasTableBehind(first) && <EvidenceTable table={tableOf(first)} zone={zone} today={today} />}
          {rest.map((it, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: the evidence is frozen
            <EvidenceView key={at} evidence={it} zone={zone} today={today} />
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
            <EvidenceView key={at} evidence={it} zone={zone} today={today} rows={ROWS} />
          ))}
        </div>
      )}
      <div className={page.caption}>
        <span
          title={`${PIN_KINDS[pin.kind]}, frozen ${dayTime(pin.at, zone, today)}${pin.by === '' ? '' : ` by ${pin.by}`}`}
          suppressHydrationWarning
        >
          <i>
            fig. {number} · {first?.title ?? pin.title}
          </i>
          , {spanOf(pin.scope, zone, today)}
        </span>
        <span>
          <a href={pin.path}>page</a>
          {canAsk && (
            <Menu position="bottom-end" withinPortal={false}>
              <Menu.Target>
                <button type="button" className={styles.quiet}>
                  hold against now<span className="unseen"> figure {number}</span>
                </button>
              </Menu.Target>
              <Menu.Dropdown>
                {hasWindow && (
                  <Menu.Item onClick={() => setAgainst({ from: iso(window.from), to: iso(window.to) })}>
                    the lit window of the ribbon
                  </Menu.Item>
                )}
                <Menu.Item onClick={() => setAgainst(hasWindow ? { from: iso(pin.scope.from), to: iso(pin.scope.to) } : {})}>
                  the same time, asked again
                </Menu.Item>
              </Menu.Dropdown>
            </Menu>
          )}
          {pin.rawBytes > 0 && (
            <a href={`/api/casebook/${caseId}/pins/${pin.id}/raw`} download>
              raw
            </a>
          )}
        </span>
      </div>
    </section>
  );
}

function spanOf({ from, to }: { from: number; to: number }, zone: string, today: number): string {
  return to > from ? clockRange(from, to, zone, today) : dayTime(from, zone, today);
}
