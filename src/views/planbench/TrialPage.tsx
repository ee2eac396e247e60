import { useState } from 'react';
import type { PlanTrial } from '../../api/planbench/trial.ts';
import { betterOnes, savingADay, trialHeadline } from '../../core/planbench/words.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { benchPath, statementPath } from '../../ui/databases/databasePath.ts';
import { databaseTabs } from '../../ui/databases/databaseTabs.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { useStatement } from '../../ui/queries/databases.ts';
import { usePlanTrial, useStatementToTry, useStopTrial } from '../../ui/queries/planbench.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import styles from './Bench.module.css';
import type { BenchFirst } from './first.ts';
import { PlanPair } from './PlanPair.tsx';
import { TextDifference } from './TextDifference.tsx';
import { TrialAside } from './TrialAside.tsx';
import { WayTable } from './WayTable.tsx';

/** Seconds of a day: counters give calls a second. */
const DAY_S = 86_400;

/** A trial: what was tried, what is faster, why, and that it gives the same rows. */
export function TrialPage({ start, first, id }: { start: IslandStart; first: BenchFirst; id: string }) {
  const { href, scope } = useScope();
  const found = usePlanTrial(id);
  const trial = found.data;
  const statement = useStatement(trial?.server ?? '', trial?.statementId ?? '', scope, Boolean(trial?.statementId));
  const named = useStatementToTry(trial?.statementId ?? '');
  const [chosenKey, choose] = useState<string>();
  const ways = trial ? waysOf(trial) : [];
  const [best] = trial ? betterOnes(trial) : [];
  const chosen = ways.find((it) => it.key === chosenKey) ?? ways.find((it) => it.key === best?.key) ?? ways[1] ?? ways[0];
  const step = (by: number) => choose(ways[Math.max(0, Math.min(ways.length - 1, ways.indexOf(chosen) + by))]?.key);
  usePageKeys([
    ['j', () => step(1)],
    ['k', () => step(-1)],
    ['ArrowDown', () => step(1)],
    ['ArrowUp', () => step(-1)],
  ]);
  usePinnables([trial && { kind: 'trial', what: 'what was tried', of: 'nothing', query: { id } }]);
  const callsADay = statement.data?.cost.lit ? statement.data.cost.lit.calls * DAY_S : null;
  const { original } = trial ?? {};
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching && !trial}
      trouble={trial ? found.error : null}
      inspectorLabel="What it saves"
      inspector={
        trial && <TrialAside trial={trial} chosen={chosen} callsADay={callsADay} callers={statement.data?.callers ?? []} />
      }
    >
      <div className={styles.head}>
        <PageTabs label="Databases" tabs={databaseTabs()} here="/databases/bench" />
        {trial && trial.ended === null && <Progress trial={trial} />}
      </div>
      <h1 className={styles.headline} aria-live="polite">
        {trial ? trialHeadline(trial) : found.error ? 'No answer' : 'Looking for the trial …'}
      </h1>
      {found.error && !trial && (
        <Emptiness
          title="The trial cannot be shown"
          words={found.error.message}
          actions={[{ label: 'To the plan bench', act: () => location.assign(href('/databases/bench')) }]}
        />
      )}
      {trial && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <section className={styles.page} tabIndex={0} aria-label="The trial">
          <p className={styles.under}>
            {named.data ? (
              <a href={href(statementPath(trial.server, trial.statementId))} suppressHydrationWarning>
                {named.data.title}
              </a>
            ) : (
              'A statement'
            )}{' '}
            on {trial.server}: {trial.how.looked} ways were looked at{underWords(trial)}{' '}
            <a
              href={href(benchPath(trial.server, named.data ? { id: trial.statementId } : { text: trial.text }))}
              suppressHydrationWarning
            >
              Try again with other values
            </a>
          </p>
          {trial.phase === 'failed' && <p role="alert">{trial.words}</p>}
          {trial.how.warnings.map((it) => (
            <p key={it} className={styles.warning}>
              {it}
            </p>
          ))}
          {original && (
            <WayTable
              trial={trial}
              ways={ways}
              chosen={chosen.key}
              choose={choose}
              before={statement.data?.cost.before?.ms ?? null}
              saving={(it) =>
                callsADay === null || it.key === 'original' || it.verdict?.is !== 'better'
                  ? null
                  : savingADay(original, it, callsADay)
              }
            />
          )}
          {original && chosen && (
            <div className={styles.both}>
              <TextDifference original={original} chosen={chosen} />
              <PlanPair original={original} chosen={chosen} />
            </div>
          )}
        </section>
      )}
    </Frame>
  );
}

function waysOf(trial: PlanTrial) {
  return trial.original ? [trial.original, ...trial.alternatives] : [];
}

function underWords(trial: PlanTrial): string {
  const [best, ...others] = betterOnes(trial);
  if (!best || !trial.original) return '.';
  const withoutText = others.find((it) => !it.kinds.includes('text'));
  if (!best.kinds.includes('text') || !withoutText) return `, ${trial.alternatives.length} run.`;
  const share = savingADay(trial.original, withoutText, 1) / savingADay(trial.original, best, 1);
  return `. ${withoutText.words} alone brings ${Math.round(100 * share)} % of the saving and needs no release.`;
}

function Progress({ trial }: { readonly trial: PlanTrial }) {
  const stop = useStopTrial(trial.id);
  const { done, of, secondsLeft } = trial.progress;
  return (
    <div className={styles.progress} role="status">
      <span>{of === 0 ? trial.words : `${done} of ${of} steps`}</span>
      {of > 0 && <progress value={done} max={of} aria-label="How far it is" />}
      {secondsLeft !== null && <span className="dim">about {formatDuration(secondsLeft * 1e9)} left</span>}
      <OnlyFor least="responder" environment>
        <button type="button" disabled={stop.isPending} onClick={() => stop.mutate()}>
          Stop
        </button>
      </OnlyFor>
    </div>
  );
}
