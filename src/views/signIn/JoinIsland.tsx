import { type FormEvent, useState } from 'react';
import { sendSignIn } from '../../ui/queries/accounts.ts';
import { Field, Shell } from './Shell.tsx';
import styles from './SignIn.module.css';

export interface JoinFirst {
  readonly token: string;
  /** What the link is for, or why it is for nothing any more. */
  readonly invitation:
    | { readonly email: string; readonly role: string; readonly by: string; readonly isRecovery: boolean }
    | string;
}

/** What a link leads to by which somebody comes in for the first time, or sets a new password. */
export default function JoinIsland({ token, invitation }: JoinFirst) {
  const [name, setName] = useState('');
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  const [trouble, setTrouble] = useState('');
  const [busy, setBusy] = useState(false);
  if (typeof invitation === 'string')
    return (
      <Shell title="This link leads nowhere" words={invitation}>
        <a className={styles.go} href="/sign-in">
          To the sign-in
        </a>
      </Shell>
    );
  const { isRecovery, by } = invitation;
  const join = async (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    setTrouble('');
    try {
      const given = invitation.email === '' ? { email } : {};
      const joined = await sendSignIn<{ email: string }>('join', { token, name, password, ...given });
      await sendSignIn('sign-in/email', { email: joined.email, password });
      location.assign('/now');
    } catch (error) {
      setTrouble((error as Error).message);
      setBusy(false);
    }
  };
  return (
    <Shell
      title={isRecovery ? 'Set a new password' : 'Come in'}
      words={isRecovery ? `For ${invitation.email}; ${by} made this link.` : `As ${invitation.role}, by a link of ${by}.`}
    >
      {trouble !== '' && (
        <p className={styles.trouble} role="alert">
          {trouble}
        </p>
      )}
      <form onSubmit={(event) => void join(event)}>
        {!isRecovery && <Field label="How others are to call you" value={name} set={setName} autoComplete="name" autoFocus />}
        {invitation.email === '' ? (
          <Field
            label="Address of mail, by which you sign in"
            type="email"
            value={email}
            set={setEmail}
            autoComplete="username"
          />
        ) : (
          <input type="email" hidden readOnly value={invitation.email} autoComplete="username" />
        )}
        <Field
          label="Password: twelve characters or more, several words are easy to keep"
          type="password"
          value={password}
          set={setPassword}
          autoComplete="new-password"
        />
        <div className={styles.actions}>
          <button type="submit" className={styles.go} data-main="true" disabled={busy}>
            {isRecovery ? 'Set it and sign in' : 'Come in'}
          </button>
        </div>
      </form>
    </Shell>
  );
}
