import { type FormEvent, useState } from 'react';
import type { Me } from '../../api/accounts/me.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { isAtLeast, ROLE_WORDS, ROLES, type Role } from '../../core/accounts/role.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { sendSignIn, useAccountChange, useMe } from '../../ui/queries/accounts.ts';
import { useZone } from '../../ui/state/zone.ts';
import intake from '../intake/Intake.module.css';
import styles from './Accounts.module.css';
import { AccountTabs } from './AccountTabs.tsx';
import { FormField } from './FormField.tsx';
import { momentOr } from './moments.ts';
import { Once } from './Once.tsx';
import { PasswordForm } from './PasswordForm.tsx';
import { RoleChoice } from './RoleChoice.tsx';
import { SecondFactor } from './SecondFactor.tsx';

export interface AccountFirst {
  readonly me?: Me;
  readonly series?: RequestSeries;
}

/** One's own account: by what one comes in, where one is signed in, and the tokens of one's programs. */
export function AccountPage({ start, first }: { start: IslandStart; first: AccountFirst }) {
  const me = useMe(first.me);
  const change = useAccountChange();
  const of = me.data;
  const signOut = async () => {
    await sendSignIn('sign-out', {});
    location.assign('/sign-in');
  };
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={change.isPending}
      trouble={me.error}
      inspectorLabel="What roles may do"
      inspector={<RoleList role={of?.role} />}
    >
      <AccountTabs here="/account" />
      {of && !of.accounts && (
        <Emptiness
          title="There are no accounts here"
          words="This application answers on this machine alone, and whoever uses it may do everything. Start it with --accounts, or with --host for others to reach it, and it asks who they are."
          actions={[]}
        />
      )}
      {of?.accounts && (
        <>
          <h1>
            {of.name}, {of.role}
          </h1>
          <div className={intake.actions}>
            <button type="button" className={intake.action} onClick={() => void signOut()}>
              Sign out
            </button>
            <button
              type="button"
              className={intake.action}
              onClick={() =>
                change.mutate(
                  { path: '/api/account/sessions/removal', body: { which: 'all' } },
                  { onSuccess: () => location.assign('/sign-in') },
                )
              }
            >
              Sign out everywhere
            </button>
            {change.error && (
              <span className={intake.trouble} role="alert">
                {change.error.message}
              </span>
            )}
          </div>
          <Sessions me={of} now={start.now} />
          <Tokens me={of} now={start.now} />
          {of.hasPassword && (
            <>
              <PasswordForm />
              <SecondFactor isOn={of.hasSecondFactor} changed={() => void me.refetch()} />
            </>
          )}
        </>
      )}
    </Frame>
  );
}

function RoleList({ role }: { role: Role | undefined }) {
  return (
    <>
      <h2>What roles may do</h2>
      <dl className={styles.facts}>
        {ROLES.map((it) => (
          <div key={it} style={{ display: 'contents' }}>
            <dt>{it === role ? <b>{it}</b> : it}</dt>
            <dd>{ROLE_WORDS[it]}</dd>
          </div>
        ))}
      </dl>
    </>
  );
}

function Sessions({ me, now }: { me: Me; now: number }) {
  const zone = useZone();
  const change = useAccountChange();
  return (
    <>
      <h2>Signed in at {me.sessions.length === 1 ? 'one place' : `${me.sessions.length} places`}</h2>
      <table className={intake.table}>
        <thead>
          <tr>
            <th>Since</th>
            <th>Seen</th>
            <th>From</th>
            <th>Browser</th>
          </tr>
        </thead>
        <tbody>
          {me.sessions.map((it) => (
            <tr key={it.id}>
              <td>{momentOr(it.begun, zone, now, '')}</td>
              <td>{it.isThis ? 'now, here' : momentOr(it.seen, zone, now, '')}</td>
              <td className="mono">{it.address}</td>
              <td className="dim">{it.browser}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {me.sessions.length > 1 && (
        <div className={intake.actions}>
          <button
            type="button"
            className={intake.action}
            onClick={() => change.mutate({ path: '/api/account/sessions/removal', body: { which: 'others' } })}
          >
            Sign out everywhere else
          </button>
        </div>
      )}
    </>
  );
}

function Tokens({ me, now }: { me: Me; now: number }) {
  const zone = useZone();
  const [name, setName] = useState('');
  const [role, setRole] = useState<Role>('reader');
  const [days, setDays] = useState('90');
  const made = useAccountChange<{ token: string }>();
  const end = useAccountChange();
  const make = (event: FormEvent) => {
    event.preventDefault();
    made.mutate({ path: '/api/account/tokens', body: { name, role, days: Number(days) } }, { onSuccess: () => setName('') });
  };
  return (
    <>
      <h2>Tokens of your programs</h2>
      <p className={intake.words}>
        A program that asks the interface sends one as Authorization: Bearer …, and may do what its role may. What there is to ask
        is described in <a href="/api/openapi.json">/api/openapi.json</a>.
      </p>
      <form className={styles.form} onSubmit={make}>
        <FormField label="Name" value={name} required maxLength={80} set={setName} />
        <RoleChoice label="Role" value={role} set={setRole} among={ROLES.filter((it) => isAtLeast(me.role, it))} />
        <FormField label="Good for days" type="number" min={1} max={366} value={days} required set={setDays} />
        <button type="submit" className={intake.action} disabled={made.isPending}>
          Make a token
        </button>
        {(made.error ?? end.error) && (
          <span className={intake.trouble} role="alert">
            {(made.error ?? end.error)?.message}
          </span>
        )}
      </form>
      {made.data && <Once what="Your token, shown this once:" text={made.data.token} close={() => made.reset()} />}
      {me.tokens.length > 0 && (
        <table className={intake.table}>
          <thead>
            <tr>
              <th>Name</th>
              <th>Begins with</th>
              <th>Role</th>
              <th>Good until</th>
              <th>Last used</th>
              <th>
                <span className="unseen">Take back</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {me.tokens.map((it) => (
              <tr key={it.id}>
                <td>{it.name}</td>
                <td className="mono">{it.prefix}…</td>
                <td>{it.role}</td>
                <td>{momentOr(it.expires, zone, now, 'for ever')}</td>
                <td>{momentOr(it.lastUsed, zone, now, 'never')}</td>
                <td>
                  <button
                    type="button"
                    className={intake.action}
                    onClick={() => end.mutate({ path: '/api/account/tokens/removal', body: { id: it.id } })}
                  >
                    Take back
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
