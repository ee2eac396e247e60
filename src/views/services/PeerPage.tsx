import type { RequestSeries } from '../../api/requests/series.ts';
import type { PeerOverview } from '../../api/services/peer.ts';
import { condition } from '../../core/scope/condition.ts';
import { withChip } from '../../core/scope/scope.ts';
import { clockRange } from '../../core/time/clock.ts';
import { databasePath } from '../../ui/databases/databasePath.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePeer, useStarts } from '../../ui/queries/map.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import { KIND_NAMES } from '../../ui/topology/kindNames.ts';
import panel from '../../ui/topology/Topology.module.css';
import { Why } from '../../ui/topology/Why.tsx';
import { visitorPath } from '../../ui/visitors/visitorPaths.ts';
import { EdgeTable } from './EdgeTable.tsx';
import { Measures } from './Measures.tsx';
import { SeriesCharts } from './SeriesCharts.tsx';
import styles from './Service.module.css';
import { SumTable } from './SumTable.tsx';
import { peerHeadline, readWords, troubleHere } from './words.ts';

export interface PeerFirst {
  readonly id: string;
  readonly peer?: PeerOverview;
  readonly series?: RequestSeries;
}

/** What does not report itself, as those see it that call it. */
export function PeerPage({ start, first }: { start: IslandStart; first: PeerFirst }) {
  const { scope, href } = useScope();
  const zone = useZone();
  const peer = usePeer(first.id, scope, { data: first.peer, scope: start.scope });
  const starts = useStarts(scope, 'shown');
  const it = peer.data;
  const callers = it?.callers.map(({ from }) => from) ?? [];
  const traces = callers.length === 0 ? scope : withChip(scope, condition('service', 'is', ...callers));
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={peer.isFetching}
      trouble={it ? peer.error : null}
      inspectorLabel={`About ${it?.name ?? first.id}`}
      inspector={
        <div className={panel.panel}>
          <div className={panel.actions}>
            <a className={panel.main} href={href('/traces', traces)} suppressHydrationWarning>
              {it?.kind === 'visitors' ? 'Slow traces' : 'Slow traces of its callers'}
            </a>
            <a
              href={`${href('/map')}&around=${encodeURIComponent(first.id)}&node=${encodeURIComponent(first.id)}`}
              suppressHydrationWarning
            >
              On the map
            </a>
          </div>
          <Why starts={starts.data} ids={[first.id]} />
        </div>
      }
    >
      <div className={styles.head}>
        <h1>{peer.error && !it ? 'No answer' : peerHeadline(it, zone, start.now, troubleHere(starts.data, first.id))}</h1>
        {it && (
          <p>
            {it.kind === 'visitors'
              ? 'by the requests that their pages and screens make'
              : `${KIND_NAMES[it.kind]}, from its callers’ side`}{' '}
            ·{' '}
            {readWords(
              it.requests,
              scope.chips.some(({ on }) => on),
            )}
            held against {clockRange(Date.parse(it.beforeWindow.from), Date.parse(it.beforeWindow.to), zone, start.now)}
            {it.kind === 'visitors' && (
              <>
                {' '}
                ·{' '}
                <a href={href(visitorPath('/visitors', { app: it.name, who: '' }))} suppressHydrationWarning>
                  what its visitors lived through
                </a>
              </>
            )}
            {it.kind === 'database' && (
              <>
                {' '}
                ·{' '}
                <a href={href(databasePath(it.name))} suppressHydrationWarning>
                  what its sessions wait for
                </a>
              </>
            )}
          </p>
        )}
      </div>
      {peer.error && !it ? (
        <Emptiness
          title="Nothing can be said of it"
          words={peer.error.message}
          actions={[
            { label: 'Try again', act: () => void peer.refetch() },
            { label: 'To the map', act: () => location.assign(href('/map')) },
          ]}
        />
      ) : (
        it && (
          // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
          <section className={styles.page} tabIndex={0} aria-label={it.name}>
            {it.kind === 'queue' && <Queue peer={it} />}
            {it.pages.length > 0 && <Pages pages={it.pages} />}
            <SeriesCharts series={it.series} litWindow={it.litWindow} beforeWindow={it.beforeWindow} />
            {it.kind !== 'visitors' && (
              <section>
                <EdgeTable heading={<h2>Callers</h2>} edges={it.callers} end="from" none="Nobody." />
              </section>
            )}
            {it.callees.length > 0 && (
              <section>
                <EdgeTable
                  heading={<h2>{it.kind === 'queue' ? 'Taken by' : it.kind === 'visitors' ? 'Asks' : 'Calls'}</h2>}
                  edges={it.callees}
                  end="to"
                  none="Nobody."
                />
              </section>
            )}
            {it.answers.length > 0 && <Answers peer={it} />}
          </section>
        )
      )}
    </Frame>
  );
}

/** What only queues have: how long messages wait in it, how many do, and since when the oldest does. */
function Queue({ peer: { waits, measures, litWindow, beforeWindow } }: { peer: PeerOverview }) {
  return (
    <section>
      {waits ? (
        <SumTable
          heading={
            <h2>
              Waiting{' '}
              <small>
                from sent to taken, in a sample of {waits.lit.calls} messages lit, {waits.before.calls} before
              </small>
            </h2>
          }
          title="waiting"
          head="messages"
          rows={[waits]}
          nameOf={() => 'wait in the queue'}
          rowKey={() => 'waits'}
        />
      ) : (
        <p className={styles.quiet}>No message of the sample names the span that sent it: how long messages wait is not known.</p>
      )}
      <h2>
        Measures <small>depth, age of the oldest and the like, as its senders report them</small>
      </h2>
      {measures.length === 0 ? (
        <p className={styles.quiet}>Nobody reports measures with messaging.destination.name of this queue.</p>
      ) : (
        <Measures
          answer={{ measures }}
          trouble={null}
          litFrom={Date.parse(litWindow.from)}
          beforeFrom={Date.parse(beforeWindow.from)}
        />
      )}
    </section>
  );
}

/** Pages or screens of visitors: how long until they could be used, and on which the application crashed. */
function Pages({ pages }: { pages: PeerOverview['pages'] }) {
  return (
    <section>
      <SumTable
        heading={
          <h2>
            Pages and screens <small>until they can be used; a failure is a crash</small>
          </h2>
        }
        title="pages"
        head="page"
        rows={pages}
        nameOf={(row) => row.name}
        rowKey={({ name }) => name}
      />
    </section>
  );
}

function Answers({ peer: { answers, sampled } }: { peer: PeerOverview }) {
  const share = (count: number, of: number) => (of === 0 ? '–' : `${((100 * count) / of).toFixed(count === 0 ? 0 : 1)} %`);
  return (
    <section>
      <DataTable
        title="answers"
        bar={
          <h2>
            What it answered{' '}
            <small>
              in a sample of {sampled.lit} calls lit, {sampled.before} before
            </small>
          </h2>
        }
        whole
        rows={answers}
        rowKey={({ answer }) => answer}
        columns={[
          { key: 'answer', title: 'answer', align: 'left', value: ({ answer }) => answer },
          { key: 'before', title: 'before', value: (it) => it.before, cell: (it) => share(it.before, sampled.before) },
          { key: 'lit', title: 'lit', value: (it) => it.lit, cell: (it) => share(it.lit, sampled.lit) },
        ]}
      />
    </section>
  );
}
