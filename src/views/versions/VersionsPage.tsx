import type { RequestSeries } from '../../api/requests/series.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { condition } from '../../core/scope/condition.ts';
import { withChip } from '../../core/scope/scope.ts';
import { dayTime } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { contrastPath } from '../../ui/contrast/contrastPath.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { useVersions } from '../../ui/queries/map.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import { ChangeRange } from './ChangeRange.tsx';
import { ADDRESSED, type VersionOptions } from './options.ts';
import { VersionStrips } from './VersionStrips.tsx';
import styles from './Versions.module.css';
import {
  basisWords,
  growthWords,
  timesWords,
  VERDICT_WORDS,
  type VersionOperation,
  versionName,
  versionsHeadline,
} from './words.ts';

export interface VersionsFirst {
  readonly name: string;
  readonly series?: RequestSeries;
  readonly options: VersionOptions;
}

/** The versions of a service: who handled how much when, and what each operation became from one to the next. */
export function VersionsPage({ start, first }: { start: IslandStart; first: VersionsFirst }) {
  const { name } = first;
  const { scope, href } = useScope();
  const zone = useZone();
  const [options, change] = usePageOptions(first.options, ADDRESSED);
  const { older, newer, inner, marked } = options;
  const found = useVersions(name, scope, { ...(older && { older }), ...(newer && { newer }) });
  const answer = found.data;
  const traces = withChip(scope, condition('service', 'is', name));
  const keyOf = ({ kind, operation }: VersionOperation) => `${kind} ${operation}`;
  const shown = (answer?.operations ?? []).filter((it) => inner || marked.includes(keyOf(it)) || isHandled(it));
  const rows = [...shown].sort((a, b) => Number(marked.includes(keyOf(b))) - Number(marked.includes(keyOf(a))));
  const mark = (key: string) => change({ marked: marked.includes(key) ? marked.filter((it) => it !== key) : [...marked, key] });
  const service = `/services/${encodeURIComponent(name)}`;
  const base = (path: string) => href(path, traces);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={answer ? found.error : null}
      inspectorLabel={`Versions of ${name}`}
      inspector={
        answer && (
          <div className={styles.aside}>
            {answer.older !== null && answer.newer !== null && (
              <div className={styles.actions}>
                <a
                  href={contrastPath(base, {
                    how: 'sets',
                    a: [condition('service.version', 'is', answer.newer)],
                    b: [condition('service.version', 'is', answer.older)],
                  })}
                  suppressHydrationWarning
                >
                  Contrast the two
                </a>
                <a
                  href={href('/traces', withChip(traces, condition('service.version', 'is', answer.newer)))}
                  suppressHydrationWarning
                >
                  Traces of {versionName(answer.newer)}
                </a>
              </div>
            )}
            <Deployments answer={answer} choose={change} now={start.now} />
            <section>
              <h2>How it is judged</h2>
              <p>
                Where both versions were at work in the same minutes, calls of the same minutes are held against each other. Else
                it is before and after. <b>worse</b> and <b>better</b> are wrong in at most 1 of 100. <b>no difference</b> means:
                99 times in 100 within a tenth in time and 2 % in failures.
              </p>
              {answer.mixed > 0 && (
                <p className="dim">
                  {formatCount(answer.mixed)} of {formatCount(answer.requests)} requests passed through several versions; their
                  calls are left out.
                </p>
              )}
            </section>
          </div>
        )
      }
    >
      <PageTabs
        label={name}
        tabs={[
          [service, name],
          [`${service}/versions`, 'Versions'],
        ]}
        here={`${service}/versions`}
      />
      <h1>{answer ? versionsHeadline(name, answer) : found.error ? 'No answer' : `Versions of ${name} …`}</h1>
      {found.error && !answer && (
        <Emptiness
          title="Versions cannot be told apart"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {answer && answer.versions.length === 0 && (
        <Emptiness
          title="No calls"
          words={`${name} handled no calls in this window with these conditions. Light a longer window or drop a chip.`}
          actions={[{ label: `To ${name}`, act: () => location.assign(href(service)) }]}
        />
      )}
      {answer && answer.versions.length > 0 && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <section className={styles.page} tabIndex={0} aria-label={`Versions of ${name}`} data-stale={found.isPlaceholderData}>
          <VersionStrips
            answer={answer}
            now={start.now}
            choose={(part) => change({ older: answer.older ?? '', newer: answer.newer ?? '', ...part })}
          />
          {answer.older !== null && answer.newer !== null && (
            <DataTable
              title={`operations of ${name} ${versionName(answer.newer)} against ${versionName(answer.older)}`}
              whole
              bar={
                <h2 className={styles.bar}>
                  Operations, {versionName(answer.older)} → {versionName(answer.newer)}
                  <label>
                    <input type="checkbox" checked={inner} onChange={() => change({ inner: !inner })} /> also what it calls
                  </label>
                </h2>
              }
              rows={rows}
              rowKey={keyOf}
              open={(it) => location.assign(href('/traces', withChip(traces, condition('operation', 'is', it.operation))))}
              columns={[
                {
                  key: 'name',
                  title: 'operation',
                  align: 'left',
                  value: ({ operation }) => operation,
                  cell: (it) => (
                    <>
                      <button
                        type="button"
                        className={styles.mark}
                        aria-pressed={marked.includes(keyOf(it))}
                        aria-label={`mark ${it.operation}`}
                        title="marked ones stand first"
                        onClick={() => mark(keyOf(it))}
                      >
                        {marked.includes(keyOf(it)) ? '◆' : '◇'}
                      </button>{' '}
                      <a
                        href={href('/traces', withChip(traces, condition('operation', 'is', it.operation)))}
                        suppressHydrationWarning
                      >
                        {it.operation}
                      </a>
                      {!isHandled(it) && <span className="dim"> {it.kind}</span>}
                    </>
                  ),
                },
                {
                  key: 'verdict',
                  title: 'verdict',
                  align: 'left',
                  about: 'worse and better are wrong in at most 1 of 100',
                  value: ({ verdict }) => VERDICT_WORDS[verdict],
                  cell: (it) => (
                    <span className={styles.verdict} data-verdict={it.verdict} title={basisWords(it)}>
                      {VERDICT_WORDS[it.verdict]}
                    </span>
                  ),
                },
                {
                  key: 'times as long',
                  title: 'times as long',
                  about: 'ratio of geometric means of calls that went well; the range holds it 99 times in 100',
                  value: ({ times }) => times?.value ?? null,
                  cell: ({ times }) => (times ? timesWords(times.value) : '–'),
                  beside: [
                    ['times from', ({ times }) => times?.range[0] ?? null],
                    ['times to', ({ times }) => times?.range[1] ?? null],
                  ],
                },
                {
                  key: 'range',
                  title: 'shorter, longer',
                  align: 'left',
                  value: ({ times }) => times?.value ?? null,
                  cell: (it) => <ChangeRange times={it.times} verdict={it.verdict} />,
                },
                {
                  key: 'failing',
                  title: 'failing',
                  about: 'the share that failed, and by how much it grew',
                  value: ({ failing }) => failing.value,
                  cell: (it) => (
                    <span
                      title={`99 times in 100 from ${growthWords(it.failing.range[0])} to ${growthWords(it.failing.range[1])}`}
                    >
                      {shareOf(it.older)} → {shareOf(it.newer)}
                    </span>
                  ),
                  beside: [
                    ['failing from', ({ failing }) => failing.range[0]],
                    ['failing to', ({ failing }) => failing.range[1]],
                  ],
                },
                pairOf('p50 ns', 'p50', ({ p50Ns }) => p50Ns),
                pairOf('p95 ns', 'p95', ({ p95Ns }) => p95Ns),
                {
                  key: 'calls',
                  title: 'calls',
                  value: ({ newer: of }) => of.calls,
                  cell: (it) => `${formatCount(it.older.calls)} → ${formatCount(it.newer.calls)}`,
                  beside: [['calls of the older', ({ older: of }) => of.calls]],
                },
                {
                  key: 'basis',
                  title: 'held',
                  align: 'left',
                  hidden: true,
                  value: ({ basis }) => (basis === 'beside' ? 'side by side' : 'one after the other'),
                },
              ]}
            />
          )}
          {answer.older === null && (
            <p className="dim">
              One version only, in the lit window and before. A longer window, or another one to hold it against, may have two.
            </p>
          )}
        </section>
      )}
    </Frame>
  );

  function Deployments({ answer: { deployments }, choose, now }: DeploymentsProps) {
    if (deployments.length === 0) return null;
    return (
      <section>
        <h2>Each after the one before</h2>
        <ul className={styles.deployments}>
          {deployments.map((it) => (
            <li key={`${it.older} ${it.newer}`}>
              <button
                type="button"
                aria-pressed={it.older === answer?.older && it.newer === answer?.newer}
                onClick={() => choose({ older: it.older, newer: it.newer })}
              >
                <b>{versionName(it.newer)}</b> after {versionName(it.older)}, {dayTime(it.at, zone, now)}
                <span>
                  {(['worse', 'better', 'same', 'unknown'] as const)
                    .filter((verdict) => it[verdict] > 0)
                    .map((verdict) => `${it[verdict]} ${VERDICT_WORDS[verdict]}`)
                    .join(' · ')}
                </span>
              </button>
            </li>
          ))}
        </ul>
      </section>
    );
  }
}

interface DeploymentsProps {
  readonly answer: NonNullable<ReturnType<typeof useVersions>['data']>;
  readonly choose: (part: Partial<VersionOptions>) => void;
  readonly now: number;
}

function isHandled({ kind }: VersionOperation): boolean {
  return kind === 'server' || kind === 'consumer';
}

function shareOf({ calls, failed }: VersionOperation['older']): string {
  return calls === 0 ? '–' : formatShare(failed / calls);
}

function pairOf(key: string, title: string, value: (side: VersionOperation['older']) => number | null) {
  return {
    key,
    title,
    value: ({ newer }: VersionOperation) => value(newer),
    cell: ({ older, newer }: VersionOperation) => {
      const [then, now] = [value(older), value(newer)];
      return `${then === null ? '–' : formatDuration(then)} → ${now === null ? '–' : formatDuration(now)}`;
    },
    beside: [[`${key} of the older`, ({ older }: VersionOperation) => value(older)] as const],
  };
}
