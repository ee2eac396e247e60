import { useRef, useState } from 'react';
import type { MachineHosts } from '../../api/machines/hosts.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { readingText, ruleWords } from '../../core/machines/words.ts';
import { clockTime } from '../../core/time/clock.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { hostPath, MACHINE_TABS } from '../../ui/machines/machinePaths.ts';
import { useHost, useHosts } from '../../ui/queries/machines.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import type { TableColumn } from '../../ui/table/tableColumn.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import { HostAside } from './HostAside.tsx';
import { HOST_OPTIONS, type HostOptions } from './hostOptions.ts';
import styles from './Machines.module.css';

export interface HostsFirst {
  readonly series?: RequestSeries;
  readonly options: HostOptions;
}

type Host = MachineHosts['hosts'][number];

/** All hosts and virtual machines at one moment, the ill ones first. */
export function HostsPage({ start, first }: { start: IslandStart; first: HostsFirst }) {
  const { scope, change, href } = useScope();
  const zone = useZone();
  const [options, setOptions] = usePageOptions(first.options, HOST_OPTIONS);
  const [chosenName, setChosenName] = useState('');
  const finder = useRef<HTMLInputElement>(null);
  const found = useHosts(scope, options.at);
  const answer = found.data;
  const listed = (answer?.hosts ?? []).filter(({ name, standsOn }) =>
    `${name} ${standsOn}`.toLowerCase().includes(options.find.toLowerCase()),
  );
  const chosen = listed.find(({ name }) => name === chosenName) ?? listed[0];
  const host = useHost(scope, chosen?.name ?? '', options.at ?? answer?.at);
  usePinnables([
    host.data && {
      kind: 'host',
      what: `host ${host.data.name}`,
      of: 'windows',
      query: { name: host.data.name, at: String(host.data.at) },
      said: `Host ${host.data.name}`,
    },
  ]);
  usePageKeys([['f', () => finder.current?.focus()]]);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={answer ? found.error : null}
      inspectorLabel="Host"
      inspector={host.data ? <HostAside host={host.data} /> : undefined}
    >
      <header className={styles.head}>
        <PageTabs label="Machines" tabs={MACHINE_TABS} here="/machines/hosts" />
        {answer && (
          <span className="dim">
            {answer.total} at{' '}
            <button type="button" className={styles.chip} onClick={() => setOptions({ at: undefined })}>
              {clockTime(answer.at, zone)}
            </button>
          </span>
        )}
      </header>
      <h1 className={styles.headline}>
        {answer ? hostsSentence(answer, clockTime(answer.at, zone)) : found.error ? 'No answer' : 'Looking at the hosts …'}
      </h1>
      {found.error && !answer && (
        <Emptiness
          title="Hosts cannot be shown"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {answer && answer.total === 0 && (
        <Emptiness
          title="No host is known in this window"
          words="Hosts are known from OpenTelemetry’s system metrics, as ./dusk collect host and other agents send them, and from the inventory."
          actions={[{ label: 'Light the last hour', act: () => change({ ...scope, lit: { type: 'last', ms: 3_600_000 } }) }]}
        />
      )}
      {answer && answer.total > 0 && (
        <DataTable
          title="hosts"
          columns={COLUMNS}
          rows={listed}
          rowKey={({ name }) => name}
          isChosen={({ name }) => name === chosen?.name}
          open={({ name }) => {
            if (name === chosen?.name) location.assign(href(hostPath(name)));
            else setChosenName(name);
          }}
          stale={found.isPlaceholderData}
          bar={
            <input
              ref={finder}
              className={styles.chip}
              type="search"
              aria-label="find a host"
              placeholder="find a host (f)"
              value={options.find}
              onChange={(event) => setOptions({ find: event.target.value }, false)}
            />
          }
        />
      )}
    </Frame>
  );
}

function reading(host: Host, ...rules: readonly string[]) {
  return host.readings.find(({ rule }) => rules.includes(rule));
}

function figure(key: string, head: string, ...rules: readonly string[]): TableColumn<Host> {
  return {
    key,
    title: head,
    value: (host) => reading(host, ...rules)?.value ?? null,
    cell: (host) => {
      const it = reading(host, ...rules);
      if (!it) return <span className="dim">–</span>;
      return (
        <span
          className={it.standing === 'ill' ? styles.ill : undefined}
          title={it.usual ? `usually ${readingText(it.rule, it.usual.median)}` : ''}
        >
          {it.standing === 'ill' && it.usual && <span className="dim">{readingText(it.rule, it.usual.median)} → </span>}
          {readingText(it.rule, it.value)}
        </span>
      );
    },
  };
}

const COLUMNS: readonly TableColumn<Host>[] = [
  {
    key: 'name',
    title: 'host',
    align: 'left',
    value: ({ name }) => name,
    cell: ({ name, standing }) => (
      <>
        <StateGlyph state={standing === 'ill' ? 'strained' : standing} word={standing} /> <b>{name}</b>
      </>
    ),
  },
  {
    key: 'standsOn',
    title: 'stands on',
    align: 'left',
    value: ({ standsOn }) => standsOn,
    cell: ({ standsOn }) => standsOn || <span className="dim">iron</span>,
  },
  { key: 'cores', title: 'cores', value: ({ cores }) => cores || null },
  figure('cpu', 'CPU', 'cpu', 'vm cpu'),
  figure('steal', 'stolen', 'steal'),
  figure('pressure', 'CPU pressure', 'pressure cpu'),
  figure('memory', 'memory', 'memory', 'vm memory'),
  figure('wait', 'disk wait', 'disk wait'),
  figure('full', 'disk full', 'disk full'),
  figure('again', 'sent again', 'retransmits'),
  { key: 'instances', title: 'instances', value: ({ instances }) => instances },
  {
    key: 'slow',
    title: 'slow services',
    value: ({ slow }) => slow,
    cell: ({ slow, services }) => (
      <span className={slow > 0 ? styles.ill : undefined}>
        {slow} of {services}
      </span>
    ),
  },
];

function hostsSentence({ hosts, ill, total }: MachineHosts, at: string): string {
  if (total === 0) return 'No host is known';
  if (ill === 0) return `All ${total} hosts and virtual machines are within their usual range at ${at}`;
  const worst = hosts.find(({ kind, standing }) => kind === 'host' && standing === 'ill') ?? hosts[0];
  const [it] = worst.readings;
  const more = ill === 1 ? '' : `; ${ill - 1} more ${ill === 2 ? 'is' : 'are'} ill`;
  return `${worst.name}: ${readingText(it.rule, it.value)} ${ruleWords(it.rule)} at ${at}${more}`;
}
