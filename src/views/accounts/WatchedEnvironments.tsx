import { type FormEvent, useState } from 'react';
import { useAccountChange, useWatchedEnvironments } from '../../ui/queries/accounts.ts';
import { useEnvironments } from '../../ui/queries/fields.ts';
import intake from '../intake/Intake.module.css';
import styles from './Accounts.module.css';
import { EnvironmentField } from './EnvironmentField.tsx';

/** Of which environments it is written down who looks at records as they were sent. */
export function WatchedEnvironments() {
  const found = useWatchedEnvironments();
  const known = useEnvironments().data?.environments ?? [];
  const change = useAccountChange();
  const [environment, setEnvironment] = useState('');
  const watched = found.data?.environments ?? [];
  const set = (environments: readonly string[]) =>
    change.mutate({ method: 'PUT', path: '/api/audit/environments', body: { environments } });
  const add = (event: FormEvent) => {
    event.preventDefault();
    set([...watched, environment.trim()]);
    setEnvironment('');
  };
  return (
    <section className={styles.below}>
      <h2>Who looks at raw data</h2>
      <p className="dim">
        {watched.length === 0
          ? 'Not written down of any environment.'
          : 'Written down of these: a span or a line opened whole, an attribute of all spans of a trace, what a masking rule would change.'}
      </p>
      {watched.map((it) => (
        <div key={it} className={styles.pair}>
          <span>{it}</span>
          <button
            type="button"
            className={intake.action}
            aria-label={`No more for ${it}`}
            onClick={() => set(watched.filter((other) => other !== it))}
          >
            no more
          </button>
        </div>
      ))}
      <form className={styles.form} onSubmit={add}>
        <EnvironmentField value={environment} known={known.filter((it) => !watched.includes(it))} set={setEnvironment} />
        <button type="submit" className={intake.action} disabled={change.isPending}>
          Write it down
        </button>
      </form>
      {(found.error ?? change.error) && (
        <p className={intake.trouble} role="alert">
          {(found.error ?? change.error)?.message}
        </p>
      )}
    </section>
  );
}
