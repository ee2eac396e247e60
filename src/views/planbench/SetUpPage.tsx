import { useEffect, useState } from 'react';
import { formatCount } from '../../core/measures/amount.ts';
import { TRIAL_KINDS, type TrialKind } from '../../core/planbench/trial.ts';
import { dayTime } from '../../core/time/clock.ts';
import { ChangedBy } from '../../ui/access/ChangedBy.tsx';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import { trialPath } from '../../ui/databases/databasePath.ts';
import { databaseTabs } from '../../ui/databases/databaseTabs.ts';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePlanTrials, usePrepareTrial, useStartTrial, useStatementToTry, useTrialServers } from '../../ui/queries/planbench.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import { AddServer } from './AddServer.tsx';
import styles from './Bench.module.css';
import type { BenchFirst } from './first.ts';

const KIND_WORDS: Readonly<Record<TrialKind, string>> = {
  index: 'indexes that are not there',
  text: 'other texts',
  setting: 'settings of the planner',
  statistics: 'statistics',
};

/** A statement, where to try it, its values, and what to try. */
export function SetUpPage({ start, first }: { start: IslandStart; first: BenchFirst }) {
  const { href } = useScope();
  const servers = useTrialServers();
  const statement = useStatementToTry(first.statement);
  const [server, setServer] = useState(first.server);
  const [text, setText] = useState(first.sql);
  const [sets, setSets] = useState<readonly (readonly string[])[]>([]);
  const [kinds, setKinds] = useState<readonly TrialKind[]>(TRIAL_KINDS);
  const [runs, setRuns] = useState(9);
  const [most, setMost] = useState(14);
  const [limit, setLimit] = useState<'original' | 'best'>('original');
  const prepare = usePrepareTrial();
  const begin = useStartTrial();
  const known = servers.data?.servers ?? [];
  const chosen = known.find((it) => it.name === server) ?? known[0];
  const stored = statement.data?.text ?? '';
  useEffect(() => {
    if (stored !== '') setText((before) => (before === '' ? stored : before));
  }, [stored]);
  const check = prepare.data;
  const isChecked = check !== undefined && prepare.variables?.text === text && prepare.variables.server === chosen?.name;
  const look = () =>
    chosen &&
    prepare.mutate(
      { server: chosen.name, text },
      {
        onSuccess: ({ values }) => {
          const count = Math.max(0, ...values.map((it) => it.proposed.length));
          setSets(
            Array.from({ length: values.length === 0 ? 0 : Math.max(1, count) }, (_, set) =>
              values.map((it) => it.proposed[set] ?? it.proposed[0] ?? ''),
            ),
          );
        },
      },
    );
  const tryIt = () =>
    chosen &&
    check &&
    begin.mutate(
      { server: chosen.name, statementId: first.statement, text: check.text, valueSets: sets, kinds, runs, most, limit },
      { onSuccess: ({ id }) => location.assign(href(trialPath(id))) },
    );
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={prepare.isPending || begin.isPending}
      trouble={null}
      inspectorLabel="Earlier trials"
      inspector={<Earlier now={start.now} />}
    >
      <PageTabs label="Databases" tabs={databaseTabs()} here="/databases/bench" />
      <h1 className={styles.headline}>Make a statement faster, and prove it</h1>
      <p className={styles.under}>
        Other texts, indexes that are not there, settings and statistics are tried by turns. Everything is rolled back.
      </p>
      <form
        className={styles.setUp}
        onSubmit={(event) => {
          event.preventDefault();
          if (isChecked) tryIt();
          else look();
        }}
      >
        <div className={styles.line}>
          <label>
            on{' '}
            <select value={chosen?.name ?? ''} onChange={(event) => setServer(event.target.value)}>
              {known.map((it) => (
                <option key={it.name} value={it.name}>
                  {it.name} ·{' '}
                  {it.kind === 'stand-in'
                    ? `a stand-in with tables of like sizes${it.isReady ? '' : ', made first'}`
                    : `${it.address}, ${USE_WORDS[it.use]}`}
                </option>
              ))}
            </select>
          </label>
          <OnlyFor least="administrator" environment>
            <AddServer removable={chosen?.kind === 'added' ? chosen.name : undefined} />
          </OnlyFor>
        </div>
        {first.server !== '' && servers.data && !known.some((it) => it.name === first.server) && (
          <p className={styles.warning}>
            {first.server} is not among the servers to try on. Add it, or a copy of it; or choose one with the same tables.
          </p>
        )}
        {known.length === 0 && servers.data && (
          <p className="dim">There is no server to try on yet: add one, best a copy that nobody else uses.</p>
        )}
        <label className={styles.text}>
          <span>Statement, with $1, $2 … for values</span>
          <textarea
            value={text}
            spellCheck={false}
            rows={9}
            onChange={(event) => setText(event.target.value)}
            placeholder={statement.isLoading ? 'Fetching its text …' : 'SELECT …'}
          />
        </label>
        {statement.error && text === '' && <p role="alert">{statement.error.message}</p>}
        {prepare.error && <p role="alert">{prepare.error.message}</p>}
        {isChecked && check.refusals.length > 0 && (
          <div role="alert">
            {check.refusals.map((it) => (
              <p key={it}>{it}</p>
            ))}
          </div>
        )}
        {isChecked &&
          check.warnings.map((it) => (
            <p key={it} className={styles.warning}>
              {it}
            </p>
          ))}
        {isChecked && check.refusals.length === 0 && (
          <>
            {check.values.length > 0 && (
              <table className={styles.values}>
                <caption>Values: times are of the first set; the rows have to be the same with each</caption>
                <thead>
                  <tr>
                    <th>value</th>
                    {sets.map((_, set) => (
                      // biome-ignore lint/suspicious/noArrayIndexKey: a set is its place
                      <th key={set}>set {set + 1}</th>
                    ))}
                  </tr>
                </thead>
                <tbody>
                  {check.values.map((it, at) => (
                    <tr key={it.number}>
                      <th scope="row">
                        ${it.number} <span className="dim">{it.column || it.type}</span>
                      </th>
                      {sets.map((set, index) => (
                        // biome-ignore lint/suspicious/noArrayIndexKey: a set is its place
                        <td key={index}>
                          <input
                            aria-label={`$${it.number}, set ${index + 1}`}
                            value={set[at] ?? ''}
                            onChange={(event) => {
                              const { value } = event.target;
                              setSets(
                                sets.map((one, other) =>
                                  other === index ? one.map((own, place) => (place === at ? value : own)) : one,
                                ),
                              );
                            }}
                          />
                        </td>
                      ))}
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
            <fieldset className={styles.kinds}>
              <legend>What is tried</legend>
              {TRIAL_KINDS.map((it) => (
                <label key={it}>
                  <input
                    type="checkbox"
                    checked={kinds.includes(it)}
                    onChange={() => setKinds(kinds.includes(it) ? kinds.filter((one) => one !== it) : [...kinds, it])}
                  />{' '}
                  {KIND_WORDS[it]}
                </label>
              ))}
            </fieldset>
            <div className={styles.line}>
              <label>
                runs of each{' '}
                <input type="number" min={2} max={30} value={runs} onChange={(event) => setRuns(Number(event.target.value))} />
              </label>
              <label>
                ways at most{' '}
                <input type="number" min={1} max={40} value={most} onChange={(event) => setMost(Number(event.target.value))} />
              </label>
              <label>
                stopped after{' '}
                <select value={limit} onChange={(event) => setLimit(event.target.value as 'original' | 'best')}>
                  <option value="original">three times the original</option>
                  <option value="best">the best so far and a fifth</option>
                </select>
              </label>
            </div>
          </>
        )}
        {begin.error && <p role="alert">{begin.error.message}</p>}
        <div className={styles.line}>
          <ChangedBy
            least="responder"
            environment={chosen?.environment}
            words="Statements are tried by responders and administrators."
          >
            <button
              type="submit"
              className={styles.main}
              disabled={
                !chosen ||
                text.trim() === '' ||
                prepare.isPending ||
                begin.isPending ||
                (isChecked && (check.refusals.length > 0 || kinds.length === 0))
              }
            >
              {isChecked
                ? 'Try it'
                : prepare.isPending
                  ? chosen?.isReady === false
                    ? 'Making the stand-in …'
                    : 'Looking …'
                  : 'Look at it'}
            </button>
          </ChangedBy>
          {isChecked && check.refusals.length === 0 && (
            <span className="dim">
              {check.tables.map((it) => `${it.name}: ${formatCount(Math.round(it.rows))} rows`).join(', ')}
            </span>
          )}
        </div>
      </form>
    </Frame>
  );
}

const USE_WORDS = { copy: 'a copy', live: 'others use it', none: 'no trials' } as const;

function Earlier({ now }: { readonly now: number }) {
  const zone = useZone();
  const { href } = useScope();
  const { data } = usePlanTrials();
  return (
    <div className={styles.aside}>
      <h2>Earlier trials</h2>
      {data?.trials.length === 0 && <p className="dim">None yet.</p>}
      <ul>
        {data?.trials.map((it) => (
          <li key={it.id}>
            <a href={href(trialPath(it.id))} suppressHydrationWarning>
              {it.server}, {dayTime(it.begun, zone, now)}
            </a>{' '}
            <span className="dim">
              {it.phase === 'done' ? (it.better > 0 ? `${it.better} faster` : 'good as it is') : it.phase}
            </span>
            <code>{it.text}</code>
          </li>
        ))}
      </ul>
    </div>
  );
}
