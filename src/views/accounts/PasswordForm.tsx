import { type FormEvent, useState } from 'react';
import { useAccountChange } from '../../ui/queries/accounts.ts';
import intake from '../intake/Intake.module.css';
import styles from './Accounts.module.css';
import { FormField } from './FormField.tsx';

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
        <FormField
          label="The present one"
          type="password"
          autoComplete="current-password"
          required
          value={currentPassword}
          set={setCurrent}
        />
        <FormField
          label="A new one, twelve characters or more"
          type="password"
          autoComplete="new-password"
          required
          value={newPassword}
          set={setNew}
        />
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
