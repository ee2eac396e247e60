import { useEffect, useState } from 'react';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { TraceListPage } from '../../api/traces/list.ts';
import type { OpenedTraces } from '../../api/traces/opened.ts';
import type { TraceOverview } from '../../api/traces/overview.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { type Scope, withDurations, withoutField } from '../../core/scope/scope.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { contrastPath } from '../../ui/contrast/contrastPath.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { NothingHere } from '../../ui/empty/NothingHere.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { useNearest } from '../../ui/queries/nearest.ts';
import {
  TRACE_ORDERS,
  type TraceOrder,
  useRequestSeries,
  useTraceList,
  useTraceOverview,
  useTracePoints,
} from '../../ui/queries/traces.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { OpenedScreen } from '../trace/OpenedScreen.tsx';
import { FilterLine } from './FilterLine.tsx';
import { GroupTable } from './GroupTable.tsx';
import { headline } from './headline.ts';
import { NarrowPanel } from './NarrowPanel.tsx';
import { OpenFile } from './OpenFile.tsx';
import type { Region } from './pictureGeometry.ts';
import { saveTraceList } from './saveTraceList.ts';
import { TraceList } from './TraceList.tsx';
import { TracePicture } from './TracePicture.tsx';
import styles from './TracesPage.module.css';

/** Each request by itself, or those that have something in common together. */
export type Listed = 'list' | 'groups';

const ORDER_WORDS: Readonly<Record<TraceOrder, string>> = {
  '-duration': 'longest first',
  '-failed': 'failed first',
  '-start': 'newest first',
};

/** What the server asked for the first paint; absent what it could not get. */
export interface TracesFirst {
  readonly list?: TraceListPage;
  readonly overview?: TraceOverview;
  readonly series?: RequestSeries;
  readonly sort: TraceOrder;
  readonly listed: Listed;
  /** What requests are grouped by. */
  readonly by: string;
}

/** The list of traces: how long requests took, which ones, and by what they can be narrowed. */
export function TracesPage({ start, first }: { start: IslandStart; first: TracesFirst }) {
  const { scope, change, href } = useScope();
  const { openNearest, refused } = useNearest();
  const [sort, setSort] = useState(first.sort);
  const firstList = sort === first.sort ? first.list : undefined;
  const list = useTraceList(scope, sort, { data: firstList, scope: start.scope });
  const overview = useTraceOverview(scope, { data: first.overview, scope: start.scope });
  const points = useTracePoints(scope);
  const [listed, setListed] = useState(first.listed);
  const series = { data: first.series, scope: start.scope };
  const requests = useRequestSeries(scope, series);
  const failure = list.error ?? overview.error;

  useEffect(() => {
    const url = new URL(location.href);
    if (sort === '-duration') url.searchParams.delete('sort');
    else url.searchParams.set('sort', sort);
    if (listed === 'list') for (const name of ['as', 'by']) url.searchParams.delete(name);
    else url.searchParams.set('as', listed);
    history.replaceState(null, '', url);
  }, [sort, listed]);

  usePinnables([requests.data && { kind: 'requests', what: 'requests over time', of: 'requests' }]);
  const [opened, setOpened] = useState<{ fileName: string; traces: OpenedTraces }>();
  if (opened)
    return (
      <OpenedScreen
        start={start}
        series={first.series}
        fileName={opened.fileName}
        opened={opened.traces}
        close={() => setOpened(undefined)}
      />
    );
  return (
    <Frame
      series={series}
      now={start.now}
      busy={list.isFetching || overview.isFetching}
      trouble={list.data && overview.data ? (failure ?? refused) : null}
      inspectorLabel="Narrow"
      inspector={<NarrowPanel overview={overview.data} />}
    >
      <div className={styles.heading}>
        <h1>{failure && !overview.data ? 'No answer' : headline(overview.data)}</h1>

        <a
          className={styles.save}
          href={contrastOf(scope, href)}
          title="What the slow ones, or those that the duration is narrowed to, have in common"
          suppressHydrationWarning
        >
          contrast
        </a>
        <button type="button" className={styles.save} onClick={() => void saveTraceList(scope, sort)}>
          save as CSV
        </button>
        <OpenFile open={(fileName, traces) => setOpened({ fileName, traces })} />
      </div>
      {failure && !(list.data && overview.data) ? (
        <Emptiness
          title="This could not be worked out"
          words={failure.message}
          actions={[
            {
              label: 'Try again',
              act: () => {
                void list.refetch();
                void overview.refetch();
              },
            },
          ]}
        />
      ) : overview.data?.count === 0 ? (
        <NothingHere kept={requests.data?.kept ?? null} known={requests.data !== undefined} now={start.now} />
      ) : (
        <>
          <TracePicture
            overview={overview.data}
            points={points.data}
            now={start.now}
            narrow={(region) => change(withRegion(scope, region))}
            openNearest={(durationNs) => openNearest(scope, durationNs)}
          />
          <div className={styles.order}>
            <FilterLine />
            <span role="group" aria-label="Shown as">
              <button type="button" aria-pressed={listed === 'list'} onClick={() => setListed('list')}>
                {list.data
                  ? `${formatCount(list.data.pages[0].total)} ${list.data.pages[0].total === 1 ? 'trace' : 'traces'}`
                  : 'traces'}
              </button>
              <button type="button" aria-pressed={listed === 'groups'} onClick={() => setListed('groups')}>
                grouped
              </button>
            </span>
            {listed === 'list' && (
              <span role="group" aria-label="Order">
                {TRACE_ORDERS.map((order) => (
                  <button key={order} type="button" aria-pressed={sort === order} onClick={() => setSort(order)}>
                    {ORDER_WORDS[order]}
                  </button>
                ))}
              </span>
            )}
          </div>
          {listed === 'groups' ? (
            <GroupTable firstBy={first.by} />
          ) : (
            <TraceList list={list} longest={overview.data?.maxNs ?? 0} />
          )}
        </>
      )}
    </Frame>
  );
}

/** The scope narrowed to what was enclosed: a stretch of time becomes the lit window. */
function withRegion(scope: Scope, { from, to, least, most }: Region): Scope {
  const next = least === undefined && most === undefined ? scope : withDurations(scope, least, most);
  return from === undefined || to === undefined
    ? next
    : { ...next, lit: { type: 'fixed', from: Math.round(from), to: Math.round(to) } };
}

/** Those that the chips on the duration choose against the rest; without such chips, the slow ones. */
function contrastOf(scope: Scope, href: (path: string, other: Scope) => string): string {
  const durations = scope.chips.filter(({ field, on }) => field === 'duration' && on);
  const within = withoutField(scope, 'duration');
  return contrastPath((path) => href(path, within), durations.length > 0 ? { how: 'sets', a: durations } : { how: 'slow' });
}
