import { type FormEvent, useState } from 'react';
import { sendSignIn } from '../../ui/queries/accounts.ts';
import { Field, Shell } from './Shell.tsx';
import styles from './SignIn.module.css';

export interface SignInFirst {
  /** How the provider is called; null without one. */
  readonly provider: string | null;
  /** Whether nobody has become the administrator yet. */
  readonly isNew: boolean;
  /** The page that was asked for. */
  readonly to: string;
  /** Why somebody is here again. */
  readonly trouble: string;
}

/** The way in: by address and password, then by the second factor of those who have one; or by the provider. */
export default function SignInIsland({ provider, isNew, to, trouble: before }: SignInFirst) {
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  const [code, setCode] = useState('');
  const [step, setStep] = useState<'password' | 'code' | 'spare'>('password');
  const [trouble, setTrouble] = useState(before);
  const [busy, setBusy] = useState(false);
  const send = async (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    setTrouble('');
    try {
      if (step === 'password') {
        const { twoFactorRedirect } = await sendSignIn<{ twoFactorRedirect?: boolean }>('sign-in/email', { email, password });
        if (twoFactorRedirect) {
          setPassword('');
          setStep('code');
          setBusy(false);
          return;
        }
      } else await sendSignIn(step === 'code' ? 'two-factor/verify-totp' : 'two-factor/verify-backup-code', { code });
      location.assign(to);
    } catch (error) {
      setTrouble((error as Error).message);
      setBusy(false);
    }
  };
  const byProvider = async () => {
    setBusy(true);
    try {
      const { url } = await sendSignIn<{ url: string }>('sign-in/social', { provider: 'company', callbackURL: to });
      location.assign(url);
    } catch (error) {
      setTrouble((error as Error).message);
      setBusy(false);
    }
  };
  if (isNew)
    return (
      <Shell
        title="Nobody has an account yet"
        words="The first administrator comes in by a link that stands where this application was started. It is good for a day; starting it again makes another."
      >
        <p className={styles.words}>Who is there can also say: ./dusk administrator</p>
      </Shell>
    );
  return (
    <Shell title={TITLES[step]} words={WORDS[step]}>
      {trouble !== '' && (
        <p className={styles.trouble} role="alert">
          {trouble}
        </p>
      )}
      <form onSubmit={(event) => void send(event)}>
        {step === 'password' ? (
          <>
            <Field label="Address of mail" type="email" value={email} set={setEmail} autoComplete="username" autoFocus />
            <Field label="Password" type="password" value={password} set={setPassword} autoComplete="current-password" />
          </>
        ) : (
          <Field
            key={step}
            label={step === 'code' ? 'Code of six digits' : 'Spare code'}
            value={code}
            set={setCode}
            autoComplete="one-time-code"
            inputMode={step === 'code' ? 'numeric' : undefined}
            autoFocus
          />
        )}
        <div className={styles.actions}>
          <button type="submit" className={styles.go} data-main="true" disabled={busy}>
            {step === 'password' ? 'Sign in' : 'Go on'}
          </button>
          {step === 'password' && provider !== null && (
            <button type="button" className={styles.go} disabled={busy} onClick={() => void byProvider()}>
              With {provider}
            </button>
          )}
          {step !== 'password' && (
            <button type="button" className={styles.go} onClick={() => setStep(step === 'code' ? 'spare' : 'code')}>
              {step === 'code' ? 'I have a spare code' : 'I have the code'}
            </button>
          )}
        </div>
      </form>
    </Shell>
  );
}

const TITLES = { password: 'Sign in', code: 'The second factor', spare: 'A spare code' };
const WORDS = {
  password: 'Who has lost a password asks an administrator for a link.',
  code: 'The code that your app shows for Dusk Lantern now.',
  spare: 'One of those that you were given when you set it up. It is good once.',
};
