import { useDebouncedValue } from '@mantine/hooks';
import { useEffect, useState } from 'react';
import type { FailureGroup, FailureList } from '../../api/failures/failures.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { condition } from '../../core/scope/condition.ts';
import { withChip, withValueTurned } from '../../core/scope/scope.ts';
import { clockRange } from '../../core/time/clock.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { DragToLight } from '../../ui/charts/DragToLight.tsx';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { ServiceMark } from '../../ui/list/ServiceMark.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { shownName } from '../../ui/list/shownName.ts';
import { useFailures } from '../../ui/queries/failures.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { NowTabs } from '../now/NowTabs.tsx';
import styles from './Failures.module.css';
import { OccurrencePanel } from './OccurrencePanel.tsx';

export interface FailuresFirst {
  readonly failures?: FailureList;
  readonly series?: RequestSeries;
  /** What is looked for at first. */
  readonly text: string;
}

/** What failed, grouped by sameness; one group opens into its occurrences with their stacks. */
export function FailuresPage({ start, first }: { start: IslandStart; first: FailuresFirst }) {
  const { scope } = useScope();
  const [text, setText] = useState(first.text);
  const [sought] = useDebouncedValue(text.trim(), 300);
  const [chosen, setChosen] = useState<string>();
  const list = useFailures(scope, sought, { data: sought === first.text ? first.failures : undefined, scope: start.scope });
  useEffect(() => {
    const url = new URL(location.href);
    if (sought === '') url.searchParams.delete('text');
    else url.searchParams.set('text', sought);
    history.replaceState(null, '', url);
  }, [sought]);
  const groups = list.data?.groups ?? [];
  const chosenGroup = groups.find((it) => it.id === chosen);
  const asked: Record<string, string> = sought === '' ? {} : { text: sought };
  usePinnables([
    chosenGroup && {
      kind: 'failures',
      what: `the failure ${chosenGroup.type || chosenGroup.code}`,
      of: 'narrowed',
      query: asked,
      part: { rows: chosenGroup.id },
      said: `${chosenGroup.service}: ${chosenGroup.type || chosenGroup.code} ${chosenGroup.shape}`.slice(0, 300),
    },
    list.data && { kind: 'failures', what: 'all that failed', of: 'narrowed', query: asked },
  ]);
  const step = (by: number) => {
    const at = groups.findIndex((it) => it.id === chosen);
    setChosen(groups[Math.min(Math.max(at + by, 0), groups.length - 1)]?.id);
  };
  usePageKeys([
    ['j', () => step(1)],
    ['k', () => step(-1)],
    ['Escape', () => setChosen(undefined)],
  ]);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={list.isFetching}
      trouble={list.data ? list.error : null}
      inspectorLabel="Failures"
      inspector={
        chosenGroup ? (
          <OccurrencePanel id={chosenGroup.id} text={sought} service={chosenGroup.service} />
        ) : (
          list.data && <Totals list={list.data} />
        )
      }
    >
      <NowTabs here="/now/failures" />
      <div className={styles.head}>
        <h1>{list.error && !list.data ? 'No answer' : failureHeadline(list.data)}</h1>
        <input
          type="search"
          className={styles.search}
          aria-label="Text anywhere in a failure"
          placeholder="text in type, message, stack or attribute"
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      </div>
      {list.error && !list.data && (
        <Emptiness
          title="This could not be worked out"
          words={list.error.message}
          actions={[{ label: 'Try again', act: () => void list.refetch() }]}
        />
      )}
      {list.data && groups.length === 0 && (
        <Emptiness
          title={sought === '' ? 'Nothing failed' : 'No failure has this text'}
          words={
            sought === ''
              ? 'No request in the lit window, narrowed like this, has a failing span.'
              : `${formatCount(list.data.read)} failing requests were read.`
          }
          actions={sought === '' ? [] : [{ label: 'Drop the text', act: () => setText('') }]}
        />
      )}
      {groups.length > 0 && (
        <Groups groups={groups} chosen={chosen} choose={setChosen} now={start.now} hasBefore={list.data?.hasBefore ?? true} />
      )}
    </Frame>
  );
}

export function failureHeadline(list: FailureList | undefined): string {
  if (!list) return 'Looking …';
  const starting = list.groups.filter((it) => it.passedOn < it.count);
  const fresh = list.hasBefore ? starting.filter((it) => it.before === 0).length : 0;
  const kinds = starting.length;
  if (list.groups.length === 0) return 'No failure here';
  const requests = `${formatCount(list.requests)} ${list.requests === 1 ? 'request' : 'requests'}`;
  return `${requests} with a failure, starting as ${kinds} ${kinds === 1 ? 'kind' : 'kinds'}${fresh > 0 ? `, ${fresh === kinds ? 'all' : fresh} new` : ''}`;
}

interface GroupsProps {
  readonly groups: readonly FailureGroup[];
  readonly chosen: string | undefined;
  readonly choose: (id: string | undefined) => void;
  readonly now: number;
  readonly hasBefore: boolean;
}

function Groups({ groups, chosen, choose, now, hasBefore }: GroupsProps) {
  const zone = useZone();
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
    <div className={styles.scroller} tabIndex={0} role="group" aria-label="Failures by kind">
      <table className={styles.table}>
        <thead>
          <tr>
            <th>Failure</th>
            <th>In the lit window</th>
            <th className={styles.figure}>Before → lit</th>
            <th className={styles.figure}>Requests</th>
            <th className={styles.figure}>Users</th>
            <th className={styles.figure}>First – last</th>
          </tr>
        </thead>
        <tbody>
          {groups.map((it) => (
            <tr key={it.id} data-chosen={it.id === chosen} data-passes={it.passedOn === it.count}>
              <th scope="row">
                <button
                  type="button"
                  aria-pressed={it.id === chosen}
                  onClick={() => choose(it.id === chosen ? undefined : it.id)}
                >
                  <ServiceMark service={it.service} /> {shownName(it.service)} <b>{shownName(it.type)}</b>
                  <span className="dim">
                    {it.passedOn === it.count ? ' passes on' : ''} {it.shape}
                  </span>
                </button>
              </th>
              <td>
                <DragToLight hug>
                  <Trend counts={it.trend} />
                </DragToLight>
              </td>
              <td className={styles.figure}>
                {!hasBefore ? '' : it.before === 0 ? <span className={styles.fresh}>new</span> : `${formatCount(it.before)} → `}
                {hasBefore && it.before === 0 ? ' ' : ''}
                {formatCount(it.count)}
              </td>
              <td className={styles.figure}>{formatCount(it.requests)}</td>
              <td className={styles.figure}>{formatCount(it.users)}</td>
              <td className={styles.figure}>{clockRange(it.first, it.last, zone, now)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Trend({ counts }: { counts: readonly number[] }) {
  const most = Math.max(...counts, 1);
  return (
    <svg width={counts.length * 4} height={18} role="img" aria-label={`by time: ${counts.join(', ')}`}>
      {counts.map((count, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a bar is its place in time
        <rect key={at} x={at * 4} width={3} y={18 - (count / most) * 17} height={(count / most) * 17} fill="var(--failing)" />
      ))}
    </svg>
  );
}

/** By response code and by operation, each a click to narrow. */
function Totals({ list }: { list: FailureList }) {
  const { scope, change, href } = useScope();
  return (
    <div className={styles.panel}>
      {list.read < list.requests && (
        <p>
          <StateGlyph state="strained" word="" /> The kinds are of the latest {formatCount(list.read)} of{' '}
          {formatCount(list.requests)} failing requests.
        </p>
      )}
      {list.kinds > list.groups.length && (
        <p>
          <StateGlyph state="strained" word="" /> The list has the first {formatCount(list.groups.length)} of{' '}
          {formatCount(list.kinds)} kinds.
          {list.others > 0 && ` ${formatCount(list.others)} failures are of still rarer ones, which are not told apart.`}
        </p>
      )}
      <section>
        <h2>
          Response codes <span className="dim">requests, before → lit</span>
        </h2>
        {list.codes.length === 0 && <p className="dim">No failing span has one.</p>}
        {list.codes.map((it) => (
          <button
            key={it.code}
            type="button"
            className={styles.line}
            onClick={() => change(withValueTurned(scope, 'http.response.status_code', it.code))}
          >
            <span className="mono">{it.code}</span>
            <span className="mono">
              {formatCount(it.before)} → {formatCount(it.count)}
            </span>
          </button>
        ))}
      </section>
      <section>
        <h2>
          Operations{' '}
          <span className="dim">{list.operations.some(({ calls }) => calls !== null) ? 'failing of calls' : 'failing'}</span>
        </h2>
        {list.operations.map((it) => (
          <a
            key={`${it.service} ${it.operation}`}
            className={styles.line}
            title={
              it.calls === null
                ? 'failing spans of the requests that are left'
                : it.before === null
                  ? 'not called before'
                  : `before ${formatShare(it.before)}`
            }
            href={href(
              '/traces',
              withChip(
                withChip(withChip(scope, condition('service', 'is', it.service)), condition('operation', 'is', it.operation)),
                condition('failed', 'is', 'yes'),
              ),
            )}
            suppressHydrationWarning
          >
            <span>
              <ServiceMark service={it.service} height={12} /> {shownName(it.service)} {shownName(it.operation)}
            </span>
            <span className="mono">
              {formatCount(it.failing)}
              {it.calls !== null && (
                <>
                  {' '}
                  / {formatCount(it.calls)} <b>{formatShare(it.failing / it.calls)}</b>
                </>
              )}
            </span>
          </a>
        ))}
      </section>
    </div>
  );
}
