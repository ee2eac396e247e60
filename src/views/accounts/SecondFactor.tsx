import { type FormEvent, useEffect, useState } from 'react';
import { sendSignIn } from '../../ui/queries/accounts.ts';
import intake from '../intake/Intake.module.css';
import styles from './Accounts.module.css';
import { FormField } from './FormField.tsx';

interface Begun {
  readonly totpURI: string;
  readonly backupCodes: readonly string[];
}

/** Sets up a code of an app as the second factor of signing in, or takes it away. */
export function SecondFactor({ isOn, changed }: { isOn: boolean; changed: () => void }) {
  const [password, setPassword] = useState('');
  const [code, setCode] = useState('');
  const [begun, setBegun] = useState<Begun>();
  const [picture, setPicture] = useState('');
  const [trouble, setTrouble] = useState('');
  useEffect(() => {
    if (!begun) return;
    // Drawn here, and only for who sets it up: nobody else needs to load what draws it.
    void import('qrcode').then(({ default: qrcode }) =>
      qrcode.toString(begun.totpURI, { type: 'svg', margin: 2 }).then(setPicture),
    );
  }, [begun]);
  const attempt = (work: () => Promise<void>) => (event: FormEvent) => {
    event.preventDefault();
    setTrouble('');
    work().catch((error: Error) => setTrouble(error.message));
  };
  const begin = attempt(async () => {
    setBegun(await sendSignIn<Begun>('two-factor/enable', { password }));
    setPassword('');
  });
  const confirm = attempt(async () => {
    await sendSignIn('two-factor/verify-totp', { code });
    setBegun(undefined);
    setCode('');
    changed();
  });
  const remove = attempt(async () => {
    await sendSignIn('two-factor/disable', { password });
    setPassword('');
    changed();
  });
  return (
    <>
      <h2>Second factor: {isOn ? 'a code of your app' : 'none'}</h2>
      {trouble !== '' && (
        <p className={intake.trouble} role="alert">
          {trouble}
        </p>
      )}
      {begun ? (
        <form onSubmit={confirm}>
          <div className={styles.second}>
            {/* biome-ignore lint/security/noDangerouslySetInnerHtml: an SVG drawn in this page from an address of our own making */}
            <span role="img" aria-label="The same as a picture for your app" dangerouslySetInnerHTML={{ __html: picture }} />
            <div>
              <p>Take the picture with your app, or give it this:</p>
              <p className="mono">{new URL(begun.totpURI).searchParams.get('secret')}</p>
              <p>Spare codes, each good once, for when the app is lost. They are shown this once:</p>
              <ul className={styles.spare}>
                {begun.backupCodes.map((it) => (
                  <li key={it}>{it}</li>
                ))}
              </ul>
            </div>
          </div>
          <div className={styles.form}>
            <FormField
              label="The code that the app shows now"
              inputMode="numeric"
              autoComplete="one-time-code"
              required
              value={code}
              set={setCode}
            />
            <button type="submit" className={intake.action} data-main="true">
              Put it in force
            </button>
          </div>
        </form>
      ) : (
        <form className={styles.form} onSubmit={isOn ? remove : begin}>
          <FormField
            label="Your password"
            type="password"
            autoComplete="current-password"
            required
            value={password}
            set={setPassword}
          />
          <button type="submit" className={intake.action}>
            {isOn ? 'Take it away' : 'Set it up'}
          </button>
        </form>
      )}
    </>
  );
}
