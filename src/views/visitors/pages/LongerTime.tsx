import type { VisitorHours } from '../../../api/visitors/hours.ts';
import { formatCount } from '../../../core/measures/amount.ts';
import { clockRange } from '../../../core/time/clock.ts';
import { ms } from '../../../core/visits/words.ts';
import { useVisitorHours } from '../../../ui/queries/visitors.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { useZone } from '../../../ui/state/zone.ts';
import type { VisitorChoice } from '../../../ui/visitors/visitorPaths.ts';
import styles from '../Visitors.module.css';

const HOUR_MS = 3_600_000;

/** The best and the worst hour of the week: what pages can be like, and how bad they were. */
export function LongerTime({ choice }: { choice: VisitorChoice }) {
  const { scope, change } = useScope();
  const zone = useZone();
  const { data, error } = useVisitorHours(scope, choice);
  if (error) return <p className="dim">The hours of the week could not be read: {error.message}</p>;
  if (!data || data.since === null) return null;
  const { extremes } = data;
  const row = (which: string, { from, p75, loads }: NonNullable<VisitorHours['extremes']>['best']) => (
    <li>
      <span>{which}</span>
      <button
        type="button"
        className={styles.choice}
        onClick={() => change({ ...scope, lit: { type: 'fixed', from, to: from + HOUR_MS } })}
      >
        {clockRange(from, from + HOUR_MS, zone, Date.now())}
      </button>
      <span className="mono" title={`${formatCount(loads)} loads`}>
        {ms(p75)}
      </span>
    </li>
  );
  return (
    <section>
      <h2>Over the week</h2>
      {extremes ? (
        <>
          <ul className={styles.pairs}>
            {row('best', extremes.best)}
            {row('worst', extremes.worst)}
          </ul>
          <p className="dim">
            ready at p75, hour by hour; half of {data.hours} hours lay under {ms(extremes.median)}
          </p>
        </>
      ) : (
        <p className="dim">
          {data.hours === 1 ? 'One hour has' : `${data.hours} hours have`} enough loads so far: too few for a best and a worst.
        </p>
      )}
    </section>
  );
}
