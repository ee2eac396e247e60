import { useEffect, useState } from 'react';
import type { SenderList } from '../../api/intake/senders.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { formatAgo } from '../../core/measures/amount.ts';
import { condition } from '../../core/scope/condition.ts';
import { withChip } from '../../core/scope/scope.ts';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { useSenders } from '../../ui/queries/intake.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { Copy } from '../../ui/values/Copy.tsx';
import { connectHeadline } from './headline.ts';
import styles from './Intake.module.css';
import { IntakeTabs } from './IntakeTabs.tsx';
import { SenderTable } from './SenderTable.tsx';
import { snippetsFor } from './snippets.ts';

export interface ConnectFirst {
  readonly address: string;
  readonly senders?: SenderList;
  readonly series?: RequestSeries;
}

/** Where to send to, how to set a system up for it, and who has been heard. */
export function ConnectPage({ start, first }: { start: IslandStart; first: ConnectFirst }) {
  const senders = useSenders(first.senders, true);
  const list = senders.data;
  const snippets = snippetsFor(first.address);
  const [chosen, choose] = useState(0);
  const now = useClock(start.now);
  const here = list ? Date.parse(list.now) + (now - senders.dataUpdatedAt) : now;
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={false}
      trouble={senders.error}
      inspectorLabel="Heard so far"
      inspector={<Heard list={list} now={Math.max(here, list ? Date.parse(list.now) : 0)} known={first.senders} />}
    >
      <IntakeTabs here="/intake/connect" />
      <h1 aria-live="polite">
        {list ? connectHeadline(list.senders, Math.max(here, Date.parse(list.now)), formatAgo) : 'Connect a system'}
      </h1>
      <p className={styles.words}>
        Send OTLP over HTTP, protobuf or JSON, to this address; the SDKs add /v1/traces, /v1/logs and /v1/metrics themselves.
      </p>
      <div className={styles.address}>
        <span className="mono">{first.address}</span>
        <Copy text={first.address} what="the address" />
      </div>
      <div className={styles.choices} role="group" aria-label="Kind of system">
        {snippets.map(({ name }, at) => (
          <button key={name} type="button" aria-pressed={at === chosen} onClick={() => choose(at)}>
            {name}
          </button>
        ))}
      </div>
      <p className="dim">{snippets[chosen].about}</p>
      <pre className={styles.snippet}>
        <Copy text={snippets[chosen].text} what="the set-up" />
        {snippets[chosen].text}
      </pre>
      <h2>Who sends</h2>
      <SenderTable list={list} />
    </Frame>
  );
}

/** Who was heard since the page was opened, and when. */
function Heard({ list, now, known }: { list: SenderList | undefined; now: number; known: SenderList | undefined }) {
  const { scope, href } = useScope();
  const before = new Set(known?.senders.map(({ service }) => service));
  return (
    <div className={styles.panel}>
      <section>
        <h2>Heard</h2>
        {!list || list.senders.length === 0 ? (
          <p className="dim">Nothing yet. This page checks every second; the first span appears here.</p>
        ) : (
          <div className={styles.signs}>
            {list.senders.slice(0, 12).map((it) => (
              <div key={it.service + it.version + it.sdk}>
                <StateGlyph
                  state={it.missing.length > 0 ? 'strained' : 'calm'}
                  word={it.missing.length > 0 ? 'something is missing' : 'fine'}
                />
                <span>
                  {!before.has(it.service) && 'First '}
                  {it.signals.map(({ signal }) => signal).join(', ')} from{' '}
                  <a href={href('/traces', withChip(scope, condition('service', 'is', it.service)))} suppressHydrationWarning>
                    {it.service}
                  </a>{' '}
                  {it.version && <span className="mono dim">{it.version}</span>} {formatAgo(now - Date.parse(it.last))}
                </span>
              </div>
            ))}
          </div>
        )}
      </section>
    </div>
  );
}

/** The time, told anew every second. */
function useClock(first: number): number {
  const [now, setNow] = useState(first);
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(timer);
  }, []);
  return now;
}
