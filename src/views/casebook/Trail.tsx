import { dayTime } from '../../core/time/clock.ts';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import styles from '../../ui/casebook/Casebook.module.css';
import { useCaseHistory, useCaseSteps, useReturnToVersion } from '../../ui/queries/casebook.ts';
import { useZone } from '../../ui/state/zone.ts';
import page from './Case.module.css';

/** The trail of pages that were looked at, each to be gone back to; and who changed what, each version to be returned to. */
export function Trail({ id, by, isShown, show }: { id: number; by: string; isShown: boolean; show: (shown: boolean) => void }) {
  const steps = useCaseSteps(id);
  const history = useCaseHistory(id, isShown);
  const back = useReturnToVersion(id, by);
  const zone = useZone();
  const all = steps.data?.steps ?? [];
  const now = Date.now();
  return (
    <>
      <details className={page.trail}>
        <summary>
          <h2>{all.length === 1 ? '1 step' : `${all.length} steps`}</h2>
        </summary>
        {all.length === 0 && <p className={styles.dim}>Pages that you look at while the case is open are noted here.</p>}
        <ol className={styles.trail}>
          {all.map((step) => (
            <li key={`${step.at} ${step.path}`}>
              <span className="mono dim" suppressHydrationWarning>
                {dayTime(step.at, zone, now)}
              </span>{' '}
              <a href={step.path}>{step.title}</a> <span className={styles.dim}>{step.by}</span>
            </li>
          ))}
        </ol>
      </details>
      <details className={page.trail} onToggle={(event) => show(event.currentTarget.open)}>
        <summary>
          <h2>History</h2>
        </summary>
        {back.error && <p role="alert">{back.error.message}</p>}
        <ol className={styles.plain}>
          {history.data?.versions.map((it, at) => (
            <li key={it.sequence}>
              <span className="mono dim" suppressHydrationWarning>
                {dayTime(it.ended, zone, now)}
              </span>{' '}
              {it.by || 'somebody'}: {it.words}{' '}
              {at > 0 && (
                <OnlyFor least="responder">
                  <button
                    type="button"
                    className={styles.quiet}
                    disabled={back.isPending}
                    onClick={() => back.mutate(it.sequence)}
                  >
                    return to this<span className="unseen"> version of {dayTime(it.ended, zone, now)}</span>
                  </button>
                </OnlyFor>
              )}
            </li>
          ))}
        </ol>
      </details>
    </>
  );
}
