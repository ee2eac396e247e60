import { type FormEvent, useState } from 'react';
import type { SignInProvider } from '../../api/accounts/provider.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { useAccountChange, useSignInProvider } from '../../ui/queries/accounts.ts';
import intake from '../intake/Intake.module.css';
import styles from './Accounts.module.css';
import { AccountTabs } from './AccountTabs.tsx';
import { NotShown } from './NotShown.tsx';

export interface ProviderFirst {
  readonly provider?: SignInProvider;
  readonly series?: RequestSeries;
}

const NONE = { name: '', issuer: '', clientId: '', admitsAll: false };

/** The provider of a company that people sign in with instead of a password. */
export function ProviderPage({ start, first }: { start: IslandStart; first: ProviderFirst }) {
  const found = useSignInProvider(first.provider);
  const change = useAccountChange();
  const kept = found.data?.provider ?? undefined;
  const [draft, setDraft] = useState<typeof NONE & { clientSecret: string }>();
  const it = draft ?? { ...(kept ?? NONE), clientSecret: '' };
  const set = (part: Partial<typeof it>) => setDraft({ ...it, ...part });
  const put = (provider: object | null) =>
    change.mutate({ method: 'PUT', path: '/api/people/provider', body: { provider } }, { onSuccess: () => setDraft(undefined) });
  const send = (event: FormEvent) => {
    event.preventDefault();
    const { clientSecret, ...rest } = it;
    put(clientSecret === '' ? rest : { ...rest, clientSecret });
  };
  const text = (label: string, name: 'name' | 'issuer' | 'clientId' | 'clientSecret', hint = '') => (
    <label>
      {label}
      <input
        type={name === 'clientSecret' ? 'password' : 'text'}
        size={name === 'issuer' ? 44 : 24}
        autoComplete="off"
        placeholder={hint}
        required={name !== 'clientSecret' || !kept}
        value={it[name]}
        onChange={(event) => set({ [name]: event.currentTarget.value })}
      />
    </label>
  );
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={change.isPending}
      trouble={found.data ? found.error : null}
      inspectorLabel="What the provider needs to know"
      inspector={
        <>
          <h2>What the provider needs to know</h2>
          <p>It sends people back to this address, which it has to be told:</p>
          <p className={`mono ${styles.wide}`}>{found.data?.redirect}</p>
          <p className="dim">
            OpenID Connect, with the code flow and PKCE. The address has to be the one that the application was started with as
            --address.
          </p>
        </>
      }
    >
      <AccountTabs here="/people/provider" />
      {!found.data ? (
        <NotShown error={found.error} retry={() => void found.refetch()} />
      ) : (
        <>
          <h1>{kept ? `People can sign in with ${kept.name}` : 'People sign in by password'}</h1>
          <p className={intake.words}>
            A provider that speaks OpenID Connect can vouch for people instead. Passwords stay good beside it; who has an account
            is known by the address of mail that the provider gives.
          </p>
          <form onSubmit={send}>
            <div className={styles.form}>
              {text('Name, as the button says it', 'name', 'Osier Reach')}
              {text('Issuer', 'issuer', 'https://id.example')}
            </div>
            <div className={styles.form}>
              {text('Client id', 'clientId')}
              {text(kept ? 'Client secret (the one that is kept stays)' : 'Client secret', 'clientSecret')}
            </div>
            <label className={styles.check}>
              <input
                type="checkbox"
                checked={it.admitsAll}
                onChange={(event) => set({ admitsAll: event.currentTarget.checked })}
              />
              Everybody whom it lets in comes in here, as a reader; else those alone who have an account
            </label>
            <div className={intake.actions} style={{ marginTop: 14 }}>
              <button type="submit" className={intake.action} data-main="true" disabled={!draft || change.isPending}>
                Put in force
              </button>
              <button type="button" className={intake.action} disabled={!draft} onClick={() => setDraft(undefined)}>
                Undo
              </button>
              {kept && (
                <button type="button" className={intake.action} onClick={() => put(null)}>
                  End signing in with {kept.name}
                </button>
              )}
              {change.error && (
                <span className={intake.trouble} role="alert">
                  {change.error.message}
                </span>
              )}
            </div>
          </form>
        </>
      )}
    </Frame>
  );
}
