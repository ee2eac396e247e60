import { type FormEvent, useState } from 'react';
import { useAccountChange } from '../../ui/queries/accounts.ts';
import intake from '../intake/Intake.module.css';
import styles from './Accounts.module.css';

/** Sets another password; everybody who is signed in by the present one elsewhere is signed out. */
export function PasswordForm() {
  const [currentPassword, setCurrent] = useState('');
  const [newPassword, setNew] = useState('');
  const change = useAccountChange();
  const send = (event: FormEvent) => {
    event.preventDefault();
    change.mutate(
      { path: '/api/account/change-password', body: { currentPassword, newPassword } },
      {
        onSuccess: () => {
          setCurrent('');
          setNew('');
        },
      },
    );
  };
  return (
    <>
      <h2>Password</h2>
      <form className={styles.form} onSubmit={send}>
        <label>
          The present one
          <input
            type="password"
            autoComplete="current-password"
            required
            value={currentPassword}
            onChange={(event) => setCurrent(event.currentTarget.value)}
          />
        </label>
        <label>
          A new one, twelve characters or more
          <input
            type="password"
            autoComplete="new-password"
            required
            value={newPassword}
            onChange={(event) => setNew(event.currentTarget.value)}
          />
        </label>
        <button type="submit" className={intake.action} disabled={change.isPending}>
          Change it
        </button>
        {change.isSuccess && <span role="status">Changed. You are signed out everywhere else.</span>}
        {change.error && (
          <span className={intake.trouble} role="alert">
            {change.error.message}
          </span>
        )}
      </form>
    </>
  );
}
