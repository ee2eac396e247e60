import type { RequestSeries } from '../../api/requests/series.ts';
import { causeWords, coresText, memoryText, readingText, ruleWords } from '../../core/machines/words.ts';
import { formatBytes } from '../../core/measures/amount.ts';
import { clockTime } from '../../core/time/clock.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { hostPath, MACHINE_TABS } from '../../ui/machines/machinePaths.ts';
import { useHost } from '../../ui/queries/machines.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import type { TableColumn } from '../../ui/table/tableColumn.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import { HostAside } from './HostAside.tsx';
import { HostPanel } from './HostPanel.tsx';
import { HOST_OPTIONS, type HostOptions } from './hostOptions.ts';
import styles from './Machines.module.css';

export interface HostFirst {
  readonly name: string;
  readonly series?: RequestSeries;
  readonly options: HostOptions;
}

const MINUTE_MS = 60_000;
type Host = NonNullable<ReturnType<typeof useHost>['data']>;
type Process = Host['processes'][number];

/** One host at a moment. */
export function HostPage({ start, first }: { start: IslandStart; first: HostFirst }) {
  const { scope, change, href } = useScope();
  const zone = useZone();
  const [options, setOptions] = usePageOptions(first.options, HOST_OPTIONS);
  const found = useHost(scope, first.name, options.at);
  const host = found.data;
  usePinnables([
    host && { kind: 'host', what: `host ${host.name}`, of: 'windows', query: { name: host.name, at: String(host.at) } },
  ]);
  const move = (minutes: number) => host && setOptions({ at: host.at + minutes * MINUTE_MS }, false);
  usePageKeys([
    ['ArrowLeft', () => move(-1)],
    ['ArrowRight', () => move(1)],
    ['Escape', () => setOptions({ at: undefined })],
  ]);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={host ? found.error : null}
      inspectorLabel="Host"
      inspector={host ? <HostAside host={host} isOpen /> : undefined}
    >
      <header className={styles.head}>
        <PageTabs label="Machines" tabs={MACHINE_TABS} here="/machines/hosts" />
        {host && (
          <span className="dim">
            {host.kind === 'vm' ? 'virtual machine' : 'host'}
            {host.cores > 0 && `, ${host.cores} cores`}
            {host.memory > 0 && `, ${memoryText(host.memory)}`}
            {host.standsOn && (
              <>
                {' '}
                on{' '}
                <a href={href(hostPath(host.standsOn))} suppressHydrationWarning>
                  {host.standsOn}
                </a>
              </>
            )}
          </span>
        )}
      </header>
      <h1 className={styles.headline}>
        {host ? hostSentence(host, clockTime(host.at, zone)) : found.error ? first.name : `Looking at ${first.name} …`}
      </h1>
      {found.error && !host && (
        <Emptiness
          title={`${first.name} cannot be shown`}
          words={found.error.message}
          actions={[
            { label: 'Try again', act: () => void found.refetch() },
            { label: 'Light the last hour', act: () => change({ ...scope, lit: { type: 'last', ms: 3_600_000 } }) },
          ]}
        />
      )}
      {host && (
        <div className={styles.page} data-stale={found.isPlaceholderData}>
          <HostPanel host={host} name={host.name} trouble={found.error} moveTo={(at) => setOptions({ at }, false)} />
          {host.hourly.length > 0 && (
            <p className="dim">
              At this hour the day before:{' '}
              {host.hourly.map(({ rule, median }) => `${ruleWords(rule)} ${readingText(rule, median)}`).join(', ')}.
            </p>
          )}
          {host.guests.length > 0 && (
            <p>
              Stand on it:{' '}
              {host.guests.map(({ name, stolen }, at) => (
                <span key={name}>
                  {at > 0 && ', '}
                  <a href={href(hostPath(name))} suppressHydrationWarning>
                    {name}
                  </a>
                  {stolen !== null && ` (${readingText('steal', stolen)} stolen)`}
                </span>
              ))}
            </p>
          )}
          {host.processes.length > 0 && (
            <DataTable title={`processes of ${host.name}`} columns={PROCESSES} rows={host.processes} rowKey={keyOf} whole />
          )}
        </div>
      )}
    </Frame>
  );
}

const keyOf = ({ name, container, job }: Process) => `${name} ${container} ${job}`;
const cores = (key: 'cores' | 'before' | 'wants', head: string): TableColumn<Process> => ({
  key,
  title: head,
  value: (it) => it[key],
  cell: (it) => coresText(it[key]),
});
const bytes = (key: 'memory' | 'reads' | 'writes', head: string, text: (bytes: number) => string): TableColumn<Process> => ({
  key,
  title: head,
  value: (it) => it[key],
  cell: (it) => (it[key] > 0 ? text(it[key]) : <span className="dim">–</span>),
});
const PROCESSES: readonly TableColumn<Process>[] = [
  { key: 'name', title: 'process', align: 'left', value: ({ name }) => name, cell: ({ name }) => <code>{name}</code> },
  { key: 'container', title: 'of', align: 'left', value: ({ container, job }) => container || job },
  cores('before', 'cores before'),
  cores('cores', 'cores'),
  cores('wants', 'could use'),
  bytes('memory', 'memory', memoryText),
  bytes('reads', 'reads', (it) => `${formatBytes(it)}/s`),
  bytes('writes', 'writes', (it) => `${formatBytes(it)}/s`),
];

function hostSentence(host: Host, at: string): string {
  const [worst] = host.resources;
  if (host.standing !== 'ill' || !worst)
    return `${host.name} is ${host.standing === 'calm' ? 'within its usual range' : 'not known well enough'} at ${at}`;
  const why = causeWords(host, worst);
  return `${host.name} at ${at}: ${why}${host.guilt === 'guilty' ? `, and requests there take ${host.comparison!.ratio.toFixed(1)} × as long` : ''}`;
}
