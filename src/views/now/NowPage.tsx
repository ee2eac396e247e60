import { useState } from 'react';
import type { Around } from '../../api/now/around.ts';
import type { NowAnswer } from '../../api/now/now.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { BEFORE_CHOICES, BEFORE_WORDS } from '../../core/scope/before.ts';
import { clockRange } from '../../core/time/clock.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { NothingHere } from '../../ui/empty/NothingHere.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { useNearest } from '../../ui/queries/nearest.ts';
import { useAround, useNow } from '../../ui/queries/now.ts';
import { useRequestSeries } from '../../ui/queries/traces.ts';
import { useVisitorApps } from '../../ui/queries/visitors.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { HarmRow } from './HarmRow.tsx';
import { JourneyEditor } from './JourneyEditor.tsx';
import styles from './Now.module.css';
import { NowAside } from './NowAside.tsx';
import { NowTabs } from './NowTabs.tsx';
import { visitorGlances } from './visitorGlances.ts';
import { nowHeadline } from './words.ts';

export interface NowFirst {
  readonly now?: NowAnswer;
  readonly around?: Around;
  readonly series?: RequestSeries;
  readonly subject: 'journey' | 'service';
}

/** What got worse, for whom, since when; the most harmed first. */
export function NowPage({ start, first }: { start: IslandStart; first: NowFirst }) {
  const { scope, change } = useScope();
  const zone = useZone();
  const series = { data: first.series, scope: start.scope };
  const requests = useRequestSeries(scope, series);
  const now = useNow(scope, first.subject === 'service', { data: first.now, scope: start.scope });
  const around = useAround(scope, { data: first.around, scope: start.scope });
  const apps = useVisitorApps(scope);
  // What is known of another window says nothing of this one.
  const visitors = apps.data && !apps.isPlaceholderData ? visitorGlances(apps.data, zone) : undefined;
  const [chosen, setChosen] = useState<number>();
  const { openNearest, refused } = useNearest();
  const [editing, setEditing] = useState(false);
  const answer = now.data;
  const { subject } = first;
  const rows = (subject === 'journey' ? answer?.journeys : answer?.services) ?? [];
  const more = (subject === 'journey' ? answer?.leftOut.journeys : answer?.leftOut.services) ?? 0;
  usePageKeys([
    ['j', () => setChosen(Math.min((chosen ?? -1) + 1, rows.length - 1))],
    ['k', () => setChosen(Math.max((chosen ?? 1) - 1, 0))],
    ['Escape', () => setChosen(undefined)],
    [
      'Enter',
      (event) => {
        if (event.target instanceof HTMLButtonElement || event.target instanceof HTMLAnchorElement || chosen === undefined)
          return;
        document.querySelectorAll<HTMLAnchorElement>(`.${styles.actions} a:first-child`)[chosen]?.click();
      },
      { preventDefault: false },
    ],
  ]);
  const pinned = chosen === undefined ? undefined : rows[chosen];
  usePinnables([
    ...(pinned ? [pinned] : rows.filter(({ state }) => state === 'failing' || state === 'strained').slice(0, 4)).map(
      ({ name }) => ({
        kind: 'journey' as const,
        what: `${subject} ${name}`,
        of: 'narrowed' as const,
        query: { services: subject === 'journey' ? 'tallied' : 'counted' },
        part: { name },
      }),
    ),
    { kind: 'starts', what: 'where it starts', of: 'narrowed' },
    { kind: 'requests', what: 'requests over time', of: 'requests' },
  ]);
  const before = answer && clockRange(Date.parse(answer.before.from), Date.parse(answer.before.to), zone, start.now);
  return (
    <Frame
      series={series}
      now={start.now}
      busy={now.isFetching}
      trouble={answer ? (now.error ?? refused) : null}
      inspectorLabel="About the window"
      inspector={<NowAside around={around.data} now={start.now} editJourneys={() => setEditing(true)} />}
    >
      <NowTabs here={subject === 'journey' ? '/now' : '/now/services'} />
      <div className={styles.head}>
        <h1>{now.error && !answer ? 'No answer' : nowHeadline(answer, subject, visitors, zone, start.now)}</h1>
        {answer && answer.requests.lit > 0 && (
          <p>
            {subject === 'service' && answer.servicesRead && answer.servicesRead.read < answer.servicesRead.of
              ? `from a sample, ${answer.servicesRead.read} of ${answer.servicesRead.of} requests, `
              : ''}
            by harm, held against {before}
          </p>
        )}
      </div>
      {answer && answer.requests.lit > 0 && answer.requests.before === 0 && (
        <p className={styles.nothingBefore}>
          No requests stored for {before}. Hold it against
          {BEFORE_CHOICES.filter((type) => type !== scope.before.type).map((type) => (
            <button key={type} type="button" onClick={() => change({ ...scope, before: { type } })}>
              {BEFORE_WORDS[type]}
            </button>
          ))}
        </p>
      )}
      {now.error && !answer ? (
        <Emptiness
          title="This could not be worked out"
          words={now.error.message}
          actions={[{ label: 'Try again', act: () => void now.refetch() }]}
        />
      ) : answer?.requests.lit === 0 ? (
        <NothingHere kept={requests.data?.kept ?? null} known={requests.data !== undefined} now={start.now} />
      ) : (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <ul className={styles.rows} tabIndex={0} aria-label={subject === 'journey' ? 'Journeys' : 'Services'}>
          {rows.map((row, at) => (
            <HarmRow
              key={row.name}
              row={row}
              subject={subject}
              seconds={(Date.parse(answer!.lit.to) - Date.parse(answer!.lit.from)) / 1000}
              now={start.now}
              chosen={chosen === at}
              first={at === 0}
              openNearest={openNearest}
            />
          ))}
          {more > 0 && (
            <li className="dim">{`${more} more, less harmed than these, are not listed. Narrow the window to see some of them.`}</li>
          )}
        </ul>
      )}
      {editing && <JourneyEditor close={() => setEditing(false)} known={answer?.journeys.flatMap((it) => it.entries) ?? []} />}
    </Frame>
  );
}
