import type { RequestSeries } from '../../api/requests/series.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { CODE_TABS } from '../../ui/code/codePath.ts';
import { ChipsNote } from '../../ui/databases/ChipsNote.tsx';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { useFindings } from '../../ui/queries/code.ts';
import { saveCsv } from '../../ui/save/csv.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import { FindingRow, shareAt } from './FindingRow.tsx';
import styles from './Findings.module.css';
import { FixPanel } from './FixPanel.tsx';
import { FINDING_OPTIONS, type FindingOptions } from './findingOptions.ts';
import { counted, findingsSentence } from './findingWords.ts';
import { IssueText } from './IssueText.tsx';

export interface FindingsFirst {
  readonly series?: RequestSeries;
  readonly options: FindingOptions;
}

const TICKS = [0.001, 0.01, 0.1, 1];
/** Findings in range, or with too little data, that are listed below those that count. */
const MOST_OTHERS = 4;

/** Which habits cost, and what a fix brings. */
export function FindingsPage({ start, first }: { start: IslandStart; first: FindingsFirst }) {
  const { scope, change } = useScope();
  const [options, setOptions] = usePageOptions(first.options, FINDING_OPTIONS);
  const found = useFindings(scope);
  const answer = found.data;
  const counts = answer ? counted(answer) : [];
  const others = answer?.findings.filter((it) => !counts.includes(it)) ?? [];
  const asked = others.find(({ key }) => key === options.finding);
  const listed = [...counts, ...others.slice(0, MOST_OTHERS), ...(asked && others.indexOf(asked) >= MOST_OTHERS ? [asked] : [])];
  const chosen = listed.find(({ key }) => key === options.finding) ?? listed[0];
  usePinnables([
    chosen && {
      kind: 'findings',
      what: `the finding in ${chosen.service}`,
      of: 'windows',
      part: { rows: chosen.key },
      said: `${chosen.title} in ${chosen.service}, ${chosen.place.name}`,
    },
    answer && { kind: 'findings', what: 'all findings', of: 'windows' },
  ]);
  const most = Math.max(1, ...counts.map(({ overUsual, unit }) => (unit === 'bytes' ? 0 : (overUsual ?? 0))));
  const step = (by: number) => {
    const next = chosen && listed[Math.min(Math.max(listed.indexOf(chosen) + by, 0), listed.length - 1)];
    if (next) setOptions({ finding: next.key }, false);
  };
  usePageKeys([
    ['j', () => step(1)],
    ['k', () => step(-1)],
    ['ArrowDown', () => step(1)],
    ['ArrowUp', () => step(-1)],
  ]);
  const save = () =>
    saveCsv('findings', [
      [
        'habit',
        'service',
        'version',
        'function',
        'file',
        'line',
        'share',
        'usual low',
        'usual high',
        'over usual ns',
        'samples',
        'verdict',
        'set aside',
      ],
      ...(answer?.findings ?? []).map((it) => [
        it.title,
        it.service,
        it.version,
        it.place.name,
        it.place.file,
        it.place.line,
        it.share,
        it.usual?.low ?? null,
        it.usual?.high ?? null,
        it.overUsual,
        it.samples,
        it.verdict,
        it.setAside,
      ]),
    ]);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={answer ? found.error : null}
      inspectorLabel="Issue text"
      inspector={answer && chosen ? <IssueText key={chosen.key} finding={chosen} answer={answer} /> : undefined}
    >
      <header className={styles.head}>
        <PageTabs label="Code" tabs={CODE_TABS} here="/code/findings" />
        {answer && answer.services > 0 && (
          <span className="dim">
            profiles of {answer.services} services, {formatDuration(answer.cpu)} of CPU
            {answer.findings.length > 0 && (
              <>
                {' · '}
                <button type="button" className={styles.plain} onClick={save}>
                  save as CSV
                </button>
              </>
            )}
          </span>
        )}
      </header>
      <h1 className={styles.headline}>
        {answer ? findingsSentence(answer) : found.error ? 'No answer' : 'Looking for habits …'}
      </h1>
      <ChipsNote of="profiles" />
      {found.error && !answer && (
        <Emptiness
          title="Findings cannot be shown"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {answer && listed.length === 0 && (
        <Emptiness
          title={answer.services === 0 ? 'No profiler reported in this window' : 'No costly habit was seen'}
          words={
            answer.services === 0
              ? 'Habits are found in profiles and sources. Send profiles as OTLP, or run a Node program with the probe, see docs/using.md.'
              : 'No habit takes 2 % or more of any service in this window.'
          }
          actions={[{ label: 'Light the last hour', act: () => change({ ...scope, lit: { type: 'last', ms: 3_600_000 } }) }]}
        />
      )}
      {answer && listed.length > 0 && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <section className={styles.page} tabIndex={0} aria-label="Findings" data-stale={found.isPlaceholderData}>
          <table className={styles.findings}>
            <thead>
              <tr>
                <th />
                <th>habit</th>
                <th>where</th>
                <th>
                  <span className={styles.axis}>
                    {TICKS.map((share) => (
                      <i key={share} style={{ left: `${100 * shareAt(share)}%` }}>
                        {100 * share} %
                      </i>
                    ))}
                  </span>
                </th>
                <th>share</th>
                <th>over usual</th>
                <th>best fix</th>
              </tr>
            </thead>
            <tbody>
              {listed.map((it) => (
                <FindingRow
                  key={`${it.key} ${it.version}`}
                  finding={it}
                  isChosen={it === chosen}
                  most={most}
                  choose={() => setOptions({ finding: it.key }, false)}
                />
              ))}
            </tbody>
          </table>
          <p className={styles.legend}>
            <span>
              <i className={styles.usual} /> usual: this habit in other services, versions and hours
            </span>
            <span>
              <i className={styles.here} data-counts="true" /> here
            </span>
            {others.length > MOST_OTHERS && <span>{others.length - MOST_OTHERS} more in range</span>}
          </p>
          {chosen && <FixPanel key={chosen.key} finding={chosen} />}
        </section>
      )}
    </Frame>
  );
}
