import { useState } from 'react';
import type { VisitorVersions } from '../../api/visitors/versions.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { clockTime, dayTime } from '../../core/time/clock.ts';
import { ms, versionsSentence } from '../../core/visits/words.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { Bars } from '../../ui/charts/Bars.tsx';
import { DragToLight } from '../../ui/charts/DragToLight.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { useVersions } from '../../ui/queries/visitors.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import type { TableColumn } from '../../ui/table/tableColumn.ts';
import { visitorPath, visitPath } from '../../ui/visitors/visitorPaths.ts';
import steps from './steps/Steps.module.css';
import styles from './Visitors.module.css';
import { type VisitorsFirst, VisitorsFrame } from './VisitorsFrame.tsx';
import { appInWords, VISITORS_OPTIONS, withCondition } from './visitorsOptions.ts';

type Version = VisitorVersions['versions'][number];
type Fault = VisitorVersions['faults'][number];

/** Versions of an application over time, whether they crash and start fast, and what goes wrong in which. */
export function VersionsPage({ start, first }: { start: IslandStart; first: VisitorsFirst }) {
  const { scope } = useScope();
  const zone = useZone();
  const [options, setOptions] = usePageOptions(first.options, VISITORS_OPTIONS);
  const [chosenKey, setChosenKey] = useState('');
  const found = useVersions(scope, options);
  const answer = found.data;
  const faults = answer?.faults ?? [];
  const chosen = faults.find((it) => keyOf(it) === chosenKey) ?? faults[0];
  usePinnables([
    answer && {
      kind: 'crashes',
      what: chosen ? `${chosen.kind} ${chosen.name}` : 'the versions',
      of: 'windows',
      query: { app: answer.app, ...(options.who && { who: options.who }) },
      part: chosen ? { rows: `${chosen.kind} ${chosen.name}` } : {},
    },
  ]);
  const walk = (by: number) => {
    const next = faults[Math.min(faults.length - 1, Math.max(0, faults.indexOf(chosen) + by))];
    if (next) setChosenKey(keyOf(next));
  };
  usePageKeys([
    ['j', () => walk(1)],
    ['k', () => walk(-1)],
  ]);
  return (
    <VisitorsFrame
      start={start}
      first={first}
      here="/visitors/versions"
      options={options}
      setOptions={setOptions}
      found={found}
      answer={answer}
      headline={answer ? versionsSentence(answer.versions, appInWords(answer)) : ''}
      empty={answer?.counts.lit.visits === 0}
      inspectorLabel="What went wrong"
      inspector={chosen ? <FaultAside fault={chosen} choice={{ app: answer!.app, who: options.who }} /> : undefined}
    >
      {answer && (
        <div className={styles.page} data-stale={found.isPlaceholderData}>
          <DataTable
            title="versions"
            bar={<h2>Versions</h2>}
            whole
            rows={answer.versions}
            rowKey={({ version }) => version}
            columns={VERSION_COLUMNS}
            open={({ version }) =>
              setOptions({ who: withCondition(options.who, { field: 'version', values: [version], not: false }) })
            }
          />
          <DataTable
            title="errors and crashes"
            bar={
              <h2>
                Errors and crashes <small className="dim">by name and the top of the stack</small>
              </h2>
            }
            rows={faults}
            rowKey={keyOf}
            isChosen={(it) => it === chosen}
            open={(it) => setChosenKey(keyOf(it))}
            columns={faultColumns(zone, start.now)}
          />
          {faults.length === 0 && <p className="dim">No error and no crash was reported in this window.</p>}
        </div>
      )}
    </VisitorsFrame>
  );
}

function keyOf({ kind, name, stack }: Fault): string {
  return `${kind} ${name} ${stack}`;
}

const WIDTH = 190;

/** Visits of a version over the window, and those of them that crashed. */
function OverTime({ of: { version, lit } }: { of: Version }) {
  if (!lit) return <span className="dim">only before</span>;
  const most = Math.max(1, ...lit.overTime);
  return (
    <DragToLight hug>
      <svg
        width={WIDTH}
        height={22}
        role="img"
        aria-label={`${version}: visits over the window, from ${lit.overTime[0]} to ${lit.overTime.at(-1)} in a stretch`}
      >
        <Bars values={lit.overTime} most={most} width={WIDTH} height={22} colour="var(--lit)" opacity={0.7} />
        <Bars values={lit.crashesOverTime} most={most} width={WIDTH} height={22} colour="var(--failing)" />
      </svg>
    </DragToLight>
  );
}

/** A share of the visits of a version. */
function share(of: Version['lit'], part: (of: NonNullable<Version['lit']>) => readonly [number, number]): number | null {
  if (!of) return null;
  const [some, all] = part(of);
  return all > 0 ? some / all : null;
}

function pair(
  key: string,
  title: string,
  about: string,
  part: (of: NonNullable<Version['lit']>) => readonly [number, number],
): TableColumn<Version> {
  return {
    key,
    title,
    about,
    value: ({ lit }) => share(lit, part),
    cell: ({ lit, before }) => {
      const [now, then] = [share(lit, part), share(before, part)];
      return (
        <>
          {then !== null && <span className={styles.was}>{formatShare(then)} → </span>}
          {now === null ? '–' : formatShare(now)}
        </>
      );
    },
  };
}

const VERSION_COLUMNS: readonly TableColumn<Version>[] = [
  { key: 'version', title: 'version', align: 'left', value: ({ version }) => version || 'not reported' },
  {
    key: 'overTime',
    title: 'visits over the window',
    align: 'left',
    value: ({ lit }) => lit?.overTime.join(' ') ?? '',
    cell: (it) => <OverTime of={it} />,
  },
  {
    key: 'visits',
    title: 'visits',
    value: ({ lit }) => lit?.visits ?? 0,
    cell: ({ lit, before }) => (
      <>
        {before && <span className={styles.was}>{formatCount(before.visits)} → </span>}
        {formatCount(lit?.visits ?? 0)}
      </>
    ),
  },
  pair('well', 'crash-free', 'share of visits without a crash', ({ visits, crashed }) => [visits - crashed, visits]),
  pair('error', 'with an error', 'share of visits with an error', ({ visits, withError }) => [withError, visits]),
  pair('new', 'new visitors', 'of those visits that say whether the visitor is new', ({ newUsers, knownUsers }) => [
    newUsers,
    knownUsers,
  ]),
  {
    key: 'start',
    title: 'starts in, p50',
    about: 'start of the application',
    value: ({ lit }) => lit?.startP50 ?? null,
    cell: ({ lit, before }) =>
      lit?.startP50 == null ? (
        <span className="dim">–</span>
      ) : (
        <>
          {before?.startP50 != null && <span className={styles.was}>{ms(before.startP50)} → </span>}
          {ms(lit.startP50)}
        </>
      ),
  },
  {
    key: 'start95',
    title: 'p95',
    value: ({ lit }) => lit?.startP95 ?? null,
    cell: ({ lit }) => (lit?.startP95 == null ? <span className="dim">–</span> : ms(lit.startP95)),
  },
];

function faultColumns(zone: string, now: number): TableColumn<Fault>[] {
  return [
    {
      key: 'kind',
      title: 'kind',
      align: 'left',
      value: ({ kind }) => kind,
      cell: ({ kind }) => <StateGlyph state={kind === 'crash' ? 'failing' : 'strained'} word={kind} />,
    },
    { key: 'name', title: 'what', align: 'left', value: ({ name }) => name, cell: ({ name }) => <b>{name}</b> },
    {
      key: 'times',
      title: 'times',
      value: ({ times }) => times,
      cell: ({ times, before }) => (
        <>
          <span className={styles.was}>{before}</span> → {times}
        </>
      ),
    },
    { key: 'visits', title: 'visits', value: ({ visits }) => visits },
    { key: 'page', title: 'page', align: 'left', value: ({ pages }) => listOf(pages) },
    { key: 'versions', title: 'versions', align: 'left', value: ({ versions }) => listOf(versions) },
    { key: 'devices', title: 'on', align: 'left', value: ({ devices }) => listOf(devices) },
    { key: 'first', title: 'first', value: ({ firstMs }) => firstMs, cell: ({ firstMs }) => dayTime(firstMs, zone, now) },
    { key: 'last', title: 'last', value: ({ lastMs }) => lastMs, cell: ({ lastMs }) => dayTime(lastMs, zone, now), hidden: true },
  ];
}

/** The most frequent values, and how many more there are. */
function listOf(counted: readonly (readonly [string, number])[]): string {
  const names = counted.map(([name]) => name || 'not reported');
  return names.length > 2 ? `${names.slice(0, 2).join(', ')} and ${names.length - 2} more` : names.join(', ');
}

function FaultAside({ fault, choice }: { fault: Fault; choice: { app: string; who: string } }) {
  const { href } = useScope();
  const zone = useZone();
  const parts = [
    ['version', fault.versions],
    ['device', fault.devices],
    ['page', fault.pages],
  ] as const;
  return (
    <div className={styles.aside}>
      <section>
        <h2>
          <StateGlyph state={fault.kind === 'crash' ? 'failing' : 'strained'} word="" /> {fault.name}
        </h2>
        <p>
          {fault.times} times in {fault.visits} {fault.visits === 1 ? 'visit' : 'visits'}, {fault.before} before;{' '}
          {clockTime(fault.firstMs, zone, true)} to {clockTime(fault.lastMs, zone, true)}
        </p>
        {fault.stack ? <pre className={steps.stack}>{fault.stack}</pre> : <p className="dim">It was sent without a stack.</p>}
      </section>
      {parts.map(([field, counted]) => (
        <section key={field}>
          <h3>By {field}</h3>
          <ul className={styles.pairs}>
            {counted.map(([name, times]) => (
              <li key={name}>
                <span>{name || 'not reported'}</span>
                <span className="mono">{times}</span>
              </li>
            ))}
          </ul>
        </section>
      ))}
      <p className={styles.actions}>
        <a data-main="true" href={href(visitPath(fault.session, choice))} suppressHydrationWarning>
          Open a visit with it
        </a>
        <a
          href={href(
            visitorPath('/visitors/visits', {
              ...choice,
              who: withCondition(choice.who, { field: 'fault', values: [fault.kind], not: false }),
            }),
          )}
          suppressHydrationWarning
        >
          All that {fault.kind === 'crash' ? 'crashed' : 'had an error'}
        </a>
      </p>
    </div>
  );
}
