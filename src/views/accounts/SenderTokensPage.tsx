import { type FormEvent, useState } from 'react';
import type { SenderTokenList } from '../../api/accounts/senderTokens.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { useAccountChange, useSenderTokens } from '../../ui/queries/accounts.ts';
import { useZone } from '../../ui/state/zone.ts';
import intake from '../intake/Intake.module.css';
import { IntakeTabs } from '../intake/IntakeTabs.tsx';
import styles from './Accounts.module.css';
import { FormField } from './FormField.tsx';
import { momentOr } from './moments.ts';
import { NotShown } from './NotShown.tsx';
import { Once } from './Once.tsx';

export interface SenderTokensFirst {
  readonly tokens?: SenderTokenList;
  readonly series?: RequestSeries;
}

type Token = SenderTokenList['tokens'][number];
const SIGNALS = ['traces', 'logs', 'metrics', 'profiles'] as const;
/** While a token is changed for another, both are good for so long. */
const OVERLAP_HOURS = 24;

/** The tokens that senders send with. */
export function SenderTokensPage({ start, first }: { start: IslandStart; first: SenderTokensFirst }) {
  const found = useSenderTokens(first.tokens);
  const made = useAccountChange<{ token: string }>();
  const end = useAccountChange();
  const { tokens = [], needed = true } = found.data ?? {};
  const stop = (id: number, hours: number) => end.mutate({ path: '/api/intake/tokens/end', body: { id, hours } });
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={made.isPending || end.isPending}
      trouble={found.data ? found.error : null}
      inspectorLabel="How a sender uses it"
      inspector={
        <div className={styles.hints}>
          <h2>How a sender uses it</h2>
          <p>With the standard settings of OpenTelemetry:</p>
          <p className={`mono ${styles.wide}`}>
            OTEL_EXPORTER_OTLP_HEADERS={'"'}Authorization=Bearer%20dls_…{'"'}
          </p>
          <p>What ships with Dusk Lantern (collect, import, the demo) takes it from DUSK_TOKEN.</p>
          <p className="dim">
            To change a token: make another, give it to the sender, and end the old one {OVERLAP_HOURS} hours from now. Both are
            good meanwhile.
          </p>
        </div>
      }
    >
      <IntakeTabs here="/intake/tokens" />
      {!found.data ? (
        <NotShown error={found.error} retry={() => void found.refetch()} />
      ) : (
        <>
          <h1>{headline(tokens.filter(({ isGood }) => isGood).length, needed)}</h1>
          <p className={intake.words}>
            A token says who sends, for which environment and how much. What is sent with it is of that environment, whatever it
            says itself.
          </p>
          <NewToken make={(body) => made.mutate({ path: '/api/intake/tokens', body })} />
          {made.data && <Once what="The token, shown this once:" text={made.data.token} close={() => made.reset()} />}
          {(made.error ?? end.error) && (
            <p className={intake.trouble} role="alert">
              {(made.error ?? end.error)?.message}
            </p>
          )}
          {tokens.length > 0 && <TokenTable tokens={tokens} now={start.now} stop={stop} />}
        </>
      )}
    </Frame>
  );
}

function headline(good: number, needed: boolean): string {
  if (!needed) return 'Senders need no token: this application answers on this machine alone';
  if (good === 0) return 'No sender can send yet: make it a token';
  return good === 1 ? 'One token is good' : `${good} tokens are good`;
}

function NewToken({ make }: { make: (body: object) => void }) {
  const [name, setName] = useState('');
  const [environment, setEnvironment] = useState('');
  const [signals, setSignals] = useState<readonly string[]>(SIGNALS);
  const [megabytes, setMegabytes] = useState('');
  const [records, setRecords] = useState('');
  const [names, setNames] = useState('');
  const [days, setDays] = useState('');
  const numberOr = (text: string, times = 1) => (text === '' ? null : Math.round(Number(text) * times));
  const send = (event: FormEvent) => {
    event.preventDefault();
    make({
      name,
      environment: environment.trim() || null,
      signals,
      bytesPerMinute: numberOr(megabytes, 1e6),
      recordsPerMinute: numberOr(records),
      namesPerMinute: numberOr(names),
      days: numberOr(days),
    });
    setName('');
  };
  return (
    <form className={styles.form} onSubmit={send}>
      <FormField label="Name" value={name} required maxLength={80} size={16} set={setName} />
      <FormField label="Environment" value={environment} size={12} placeholder="as it says" set={setEnvironment} />
      <FormField label="MB a minute" type="number" min="0.001" step="any" value={megabytes} set={setMegabytes} />
      <FormField label="Records a minute" type="number" min="1" value={records} set={setRecords} />
      <FormField label="New names a minute" type="number" min="1" value={names} set={setNames} />
      <FormField label="Good for days" type="number" min="1" max="3660" placeholder="ever" value={days} set={setDays} />
      <div className={styles.signals}>
        {SIGNALS.map((it) => (
          <label key={it}>
            <input
              type="checkbox"
              checked={signals.includes(it)}
              onChange={(event) =>
                setSignals(event.currentTarget.checked ? [...signals, it] : signals.filter((other) => other !== it))
              }
            />
            {it}
          </label>
        ))}
      </div>
      <button type="submit" className={intake.action} disabled={signals.length === 0}>
        Make a token
      </button>
    </form>
  );
}

function TokenTable({ tokens, now, stop }: { tokens: readonly Token[]; now: number; stop: (id: number, hours: number) => void }) {
  const zone = useZone();
  return (
    <table className={intake.table}>
      <thead>
        <tr>
          <th>Name</th>
          <th>Begins with</th>
          <th>Environment</th>
          <th>For</th>
          <th>At most</th>
          <th>Last used</th>
          <th className={intake.figure}>Refused</th>
          <th>Good until</th>
          <th>
            <span className="unseen">End it</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {tokens.map((it) => (
          <tr key={it.id}>
            <th scope="row" className={it.isGood ? undefined : styles.off}>
              {it.name}
            </th>
            <td className="mono">{it.prefix}…</td>
            <td>{it.environment ?? <span className="dim">as it says</span>}</td>
            <td>{it.signals.length === SIGNALS.length ? 'all signals' : it.signals.join(', ')}</td>
            <td>{mostOf(it)}</td>
            <td>{momentOr(it.lastUsed, zone, now, 'never')}</td>
            <td className={intake.figure}>{formatCount(it.refused)}</td>
            <td>{momentOr(it.expires, zone, now, 'for ever')}</td>
            <td>
              {it.isGood && (
                <div className={intake.actions} style={{ margin: 0 }}>
                  <button type="button" className={intake.action} onClick={() => stop(it.id, 0)}>
                    End now
                  </button>
                  <button type="button" className={intake.action} onClick={() => stop(it.id, OVERLAP_HOURS)}>
                    in {OVERLAP_HOURS} h
                  </button>
                </div>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function mostOf({ bytesPerMinute, recordsPerMinute, namesPerMinute }: Token): string {
  const parts = [
    ...(bytesPerMinute === null ? [] : [`${formatCount(bytesPerMinute / 1e6)} MB`]),
    ...(recordsPerMinute === null ? [] : [`${formatCount(recordsPerMinute)} records`]),
    ...(namesPerMinute === null ? [] : [`${formatCount(namesPerMinute)} new names`]),
  ];
  return parts.length === 0 ? 'no bound' : `${parts.join(', ')} a minute`;
}
