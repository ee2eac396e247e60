import { useEffect, useState } from 'react';
import type { RequestSeries } from '../../api/requests/series.ts';
import type { TraceListPage } from '../../api/traces/list.ts';
import type { TraceOverview } from '../../api/traces/overview.ts';
import { withDurations } from '../../core/scope/scope.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { NothingHere } from '../../ui/empty/NothingHere.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { type TraceOrder, useRequestSeries, useTraceList, useTraceOverview } from '../../ui/queries/traces.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { DurationPicture } from './DurationPicture.tsx';
import { headline } from './headline.ts';
import { NarrowPanel } from './NarrowPanel.tsx';
import { TraceList } from './TraceList.tsx';
import styles from './TracesPage.module.css';

/** What the server asked for the first paint; absent what it could not get. */
export interface TracesFirst {
  readonly list?: TraceListPage;
  readonly overview?: TraceOverview;
  readonly series?: RequestSeries;
  readonly sort: TraceOrder;
}

/** The list of traces: how long requests took, which ones, and by what they can be narrowed. */
export function TracesPage({ start, first }: { start: IslandStart; first: TracesFirst }) {
  const { scope, change } = useScope();
  const [sort, setSort] = useState(first.sort);
  const firstList = sort === first.sort ? first.list : undefined;
  const list = useTraceList(scope, sort, { data: firstList, scope: start.scope });
  const overview = useTraceOverview(scope, { data: first.overview, scope: start.scope });
  const series = { data: first.series, scope: start.scope };
  const requests = useRequestSeries(scope, series);
  const failure = list.error ?? overview.error;

  useEffect(() => {
    const url = new URL(location.href);
    if (sort === '-duration') url.searchParams.delete('sort');
    else url.searchParams.set('sort', sort);
    history.replaceState(null, '', url);
  }, [sort]);

  return (
    <Frame
      series={series}
      now={start.now}
      busy={list.isFetching || overview.isFetching}
      trouble={list.data && overview.data ? failure : null}
      inspectorLabel="Narrow"
      inspector={<NarrowPanel overview={overview.data} />}
    >
      <h1>{failure && !overview.data ? 'No answer' : headline(overview.data)}</h1>
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
          <DurationPicture overview={overview.data} narrow={(least, most) => change(withDurations(scope, least, most))} />
          <div className={styles.order}>
            <span>
              {list.data
                ? `${list.data.pages[0].total.toLocaleString('en')} ${list.data.pages[0].total === 1 ? 'trace' : 'traces'}`
                : ' '}
            </span>
            <span role="group" aria-label="Order">
              <button type="button" aria-pressed={sort === '-duration'} onClick={() => setSort('-duration')}>
                longest first
              </button>
              <button type="button" aria-pressed={sort === '-start'} onClick={() => setSort('-start')}>
                newest first
              </button>
            </span>
          </div>
          <TraceList list={list} longest={overview.data?.maxNs ?? 0} />
        </>
      )}
    </Frame>
  );
}
