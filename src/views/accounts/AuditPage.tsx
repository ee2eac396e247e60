import { useDebouncedValue } from '@mantine/hooks';
import { useState } from 'react';
import type { AuditList } from '../../api/accounts/audit.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { useAudit } from '../../ui/queries/accounts.ts';
import { useZone } from '../../ui/state/zone.ts';
import intake from '../intake/Intake.module.css';
import styles from './Accounts.module.css';
import { AccountTabs } from './AccountTabs.tsx';
import { momentOr } from './moments.ts';
import { NotShown } from './NotShown.tsx';
import { WatchedEnvironments } from './WatchedEnvironments.tsx';

export interface AuditFirst {
  readonly audit?: AuditList;
  readonly series?: RequestSeries;
}

const OUTCOMES: Readonly<Record<number, string>> = { 401: 'not known', 403: 'not allowed', 429: 'too often' };

/** What was done, and by whom: only ever added to. */
export function AuditPage({ start, first }: { start: IslandStart; first: AuditFirst }) {
  const zone = useZone();
  const [text, setText] = useState('');
  const [before, setBefore] = useState<number>();
  const [chosen, choose] = useState<number>();
  const [asked] = useDebouncedValue(text, 250);
  const query: Record<string, string> = {
    ...(asked === '' ? {} : { text: asked }),
    ...(before === undefined ? {} : { before: String(before) }),
  };
  const found = useAudit(first.audit, query);
  const { entries = [], more = null } = found.data ?? {};
  const entry = entries.find(({ id }) => id === chosen);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={found.data ? found.error : null}
      inspectorLabel="What was done"
      inspector={
        found.data && (
          <>
            {entry ? <Entry entry={entry} /> : entries.length > 0 && <p className="dim">Choose a line to see what it was of.</p>}
            <WatchedEnvironments />
          </>
        )
      }
    >
      <AccountTabs here="/people/audit" />
      {!found.data ? (
        <NotShown error={found.error} retry={() => void found.refetch()} />
      ) : (
        <>
          <h1>What was done</h1>
          <p className={intake.words}>
            Changes, exports, ways in and what was refused. Lines are only ever added; they are kept apart from telemetry, and
            longer.
          </p>
          <div className={styles.form}>
            <label>
              Of whom or of what
              <input
                value={text}
                onChange={(event) => {
                  setText(event.currentTarget.value);
                  setBefore(undefined);
                }}
              />
            </label>
            <a
              className={intake.action}
              href={`/api/audit/export${asked === '' ? '' : `?text=${encodeURIComponent(asked)}`}`}
              download
            >
              All as JSON lines
            </a>
          </div>
          {entries.length === 0 && !found.isFetching && (
            <p className="dim">{asked === '' ? 'Nothing yet.' : `Nothing of “${asked}”.`}</p>
          )}
          {entries.length > 0 && (
            <table className={intake.table}>
              <thead>
                <tr>
                  <th>When</th>
                  <th>Who</th>
                  <th>What</th>
                  <th>From</th>
                  <th>Outcome</th>
                </tr>
              </thead>
              <tbody>
                {entries.map((it) => (
                  <tr key={it.id} aria-selected={it.id === chosen} onClick={() => choose(it.id)}>
                    <td>
                      <button type="button" onClick={() => choose(it.id)}>
                        {momentOr(it.at, zone, start.now, '')}
                      </button>
                    </td>
                    <td>{it.by === '' ? <span className="dim">{String(it.about.email ?? 'nobody known')}</span> : it.by}</td>
                    <td>{it.action}</td>
                    <td className="mono">{it.address}</td>
                    <td>{it.status < 400 ? 'done' : (OUTCOMES[it.status] ?? `refused, ${it.status}`)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          {more !== null && (
            <button type="button" className={intake.action} onClick={() => setBefore(more)}>
              Earlier
            </button>
          )}
        </>
      )}
    </Frame>
  );
}

function Entry({ entry }: { entry: AuditList['entries'][number] }) {
  return (
    <>
      <h2>{entry.action}</h2>
      <dl className={styles.facts}>
        <dt>At</dt>
        <dd className="mono">{entry.at}</dd>
        {Object.entries(entry.about).map(([name, value]) => (
          <div key={name} style={{ display: 'contents' }}>
            <dt>{name}</dt>
            <dd className="mono">{String(value)}</dd>
          </div>
        ))}
      </dl>
    </>
  );
}
