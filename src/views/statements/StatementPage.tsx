import type { DatabaseStatement } from '../../api/databases/statement.ts';
import type { StatementTimes } from '../../api/databases/statementTimes.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { totalOf } from '../../core/database/load/load.ts';
import { atWork, formatSessions } from '../../core/database/words.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { clockTime, dayTime } from '../../core/time/clock.ts';
import { briefDuration, formatDuration } from '../../core/time/duration.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import { PairChart } from '../../ui/charts/PairChart.tsx';
import { ChipsNote } from '../../ui/databases/ChipsNote.tsx';
import { benchPath, databasePath, statementPath } from '../../ui/databases/databasePath.ts';
import { serverTabs } from '../../ui/databases/databaseTabs.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { useStatement, useStatementTimes } from '../../ui/queries/databases.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import { PageTabs } from '../../ui/tabs/PageTabs.tsx';
import { ClassLegend, Tide } from '../../ui/tide/Tide.tsx';
import { Plans } from './PlanTree.tsx';
import styles from './Statement.module.css';
import { amount, callTime, rangeText, statementHeadline, timesWords } from './words.ts';

export interface StatementFirst {
  readonly server: string;
  readonly statement: string;
  readonly series?: RequestSeries;
}

const MINUTE_MS = 60_000;

/** One statement: what a call costs, what it waits for, who calls it, its plans, and what to do. */
export function StatementPage({ start, first }: { start: IslandStart; first: StatementFirst }) {
  const { server, statement } = first;
  const { scope, href, change } = useScope();
  const zone = useZone();
  const found = useStatement(server, statement, scope);
  const times = useStatementTimes(server, statement, scope);
  const it = found.data;
  const path = statementPath(server, statement);
  const requests = it?.traces ?? [];
  usePinnables([
    it && {
      kind: 'statement',
      what: `the statement ${it.title}`,
      of: 'windows',
      query: { name: server, statementId: statement },
    },
    ...(it?.plans ?? [])
      .slice(-3)
      .reverse()
      .map(({ planId, at }, index) => ({
        kind: 'plan' as const,
        what: index === 0 ? 'its newest plan' : `its plan of ${clockTime(at, zone)}`,
        of: 'windows' as const,
        query: { name: server, statementId: statement },
        part: { plan: planId },
      })),
  ]);
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={it ? found.error : null}
      inspectorLabel="Statement"
      inspector={it && <Aside it={it} now={start.now} />}
    >
      <PageTabs label="Databases" tabs={serverTabs(server, [path, it?.title ?? 'Statement'])} here={path} />
      <h1 className={styles.headline}>{it ? statementHeadline(it) : found.error ? 'No answer' : 'Looking at the statement …'}</h1>
      <ChipsNote of="sessions" />
      {found.error && !it && (
        <Emptiness
          title="The statement cannot be shown"
          words={found.error.message}
          actions={[{ label: `To ${server}`, act: () => location.assign(href(databasePath(server))) }]}
        />
      )}
      {it && (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
        <section className={styles.page} tabIndex={0} aria-label={it.title} data-stale={found.isPlaceholderData}>
          <Advices advice={it.advice} />
          {it.text !== '' && (
            <p>
              <a href={href(benchPath(server, { id: statement }))} suppressHydrationWarning>
                Make it faster on the plan bench
              </a>{' '}
              <span className="dim">other texts, indexes and settings, tried with the same rows</span>
            </p>
          )}
          <div className={styles.top}>
            <pre className={styles.sql}>{it.text || 'Its text was not sent.'}</pre>
            <Costs cost={it.cost} times={times.data} trouble={times.error} />
          </div>
          <div className={styles.charts}>
            <PairChart
              title="A call takes"
              log
              lines={(['before', 'lit'] as const).map((side) => ({
                name: '',
                side,
                points: it.steps[side].map(([at, , ms]) => [at, ms * 1e6] as const),
              }))}
              format={briefDuration}
              litFrom={Date.parse(it.litWindow.from)}
              beforeFrom={Date.parse(it.beforeWindow.from)}
              stepMs={MINUTE_MS}
            />
            <PairChart
              title="Calls a second"
              lines={(['before', 'lit'] as const).map((side) => ({
                name: '',
                side,
                points: it.steps[side].map(([at, calls]) => [at, calls] as const),
              }))}
              format={amount}
              litFrom={Date.parse(it.litWindow.from)}
              beforeFrom={Date.parse(it.beforeWindow.from)}
              stepMs={MINUTE_MS}
            />
          </div>
          <h2 className={styles.sub}>
            What its sessions wait for{' '}
            <span className="dim">
              {it.lit
                ? `${it.before ? `${formatSessions(it.before.value)} → ` : ''}${formatSessions(it.lit.value)} sessions on average`
                : 'not sampled'}
            </span>
          </h2>
          <Tide
            name={it.title}
            tide={it.tide}
            cores={it.cores}
            lit={{ from: Date.parse(it.litWindow.from), to: Date.parse(it.litWindow.to) }}
            before={
              it.before
                ? { atWork: atWork(it.before.byClass), waiting: totalOf(it.before.byClass) - atWork(it.before.byClass) }
                : undefined
            }
            flags={it.plans.slice(1).map(({ at }) => ({ at, title: 'its plan changed' }))}
            height={110}
            light={(from, to) => change({ ...scope, lit: { type: 'fixed', from, to } })}
          />
          <ClassLegend classes={it.classes} lit={it.lit?.byClass ?? []} before={it.before?.byClass ?? null} />
          <h2 className={styles.sub}>Its plans</h2>
          <Plans plans={it.plans} now={start.now} />
          <h2 className={styles.sub}>
            Requests in which it was seen <span className="dim">the longest first</span>
          </h2>
          {requests.length === 0 ? (
            <p className="dim">No sample of it in this window names a stored trace.</p>
          ) : (
            <ul className={styles.traces}>
              {requests.map((trace) => (
                <li key={trace.traceId}>
                  <a href={href(`/traces/${trace.traceId}`)} suppressHydrationWarning>
                    {trace.operation}
                  </a>{' '}
                  <span className="dim">{trace.service}</span>
                  <b className="mono">{formatDuration(trace.durationNs)}</b>
                  <time className="mono">{dayTime(trace.start, zone, start.now)}</time>
                  {trace.failed && <em>failed</em>}
                </li>
              ))}
            </ul>
          )}
        </section>
      )}
    </Frame>
  );
}

function Advices({ advice }: Pick<DatabaseStatement, 'advice'>) {
  if (advice.length === 0) return null;
  return (
    <ol className={styles.advice} aria-label="What to do">
      {advice.map(({ words, evidence }) => (
        <li key={words}>
          {words} <small>{evidence}</small>
        </li>
      ))}
    </ol>
  );
}

/** What a call costs, before and lit. */
function Costs({
  cost: { lit, before },
  times,
  trouble,
}: Pick<DatabaseStatement, 'cost'> & { readonly times: StatementTimes | undefined; readonly trouble: Error | null }) {
  const row = (name: string, about: string, value: (it: NonNullable<typeof lit>) => string) => (
    <tr>
      <th scope="row" title={about}>
        {name}
      </th>
      <td className={styles.was}>{before ? value(before) : '–'}</td>
      <td>{lit ? value(lit) : '–'}</td>
    </tr>
  );
  const hit = (it: NonNullable<typeof lit>) => {
    const all = it.blocksHit + it.blocksRead;
    return all === 0 ? '–' : formatShare(it.blocksHit / all);
  };
  return (
    <table className={styles.costs} aria-label="What a call costs">
      <thead>
        <tr>
          <th>a call</th>
          <th>before</th>
          <th>lit</th>
        </tr>
      </thead>
      <tbody>
        {row('takes', 'mean of all calls', ({ ms }) => callTime(ms))}
        {(['p50', 'p95'] as const).map((share) => (
          <tr key={share}>
            <th scope="row" title="as long as its callers waited, by their spans">
              {share}
            </th>
            <td className={styles.was}>{times && <InRange it={times.before[share]} />}</td>
            <td>{times && <InRange it={times.lit[share]} />}</td>
          </tr>
        ))}
        {row('calls a second', 'as the server counts them', ({ calls }) => amount(calls))}
        {row('gives rows', 'given or changed', ({ rows }) => amount(rows))}
        {row('looks at blocks', 'found in memory or read', (it) => amount(it.blocksHit + it.blocksRead))}
        {row('found in memory', 'share of those blocks; the others were read', hit)}
        {row('temporary blocks', 'written because memory did not suffice', ({ blocksTemporary }) => amount(blocksTemporary))}
      </tbody>
      <caption>{trouble ? trouble.message : times ? timesWords(times) : 'p50 and p95: reading spans …'}</caption>
    </table>
  );
}

function InRange({ it }: { readonly it: StatementTimes['lit']['p95'] }) {
  if (!it) return <>–</>;
  return (
    <>
      {formatDuration(it.value)} <small>{rangeText(it)}</small>
    </>
  );
}

function Aside({ it, now }: { readonly it: DatabaseStatement; readonly now: number }) {
  const zone = useZone();
  const { href } = useScope();
  const all = it.programs.reduce((sum, { lit }) => sum + lit, 0);
  const traced = it.callers.reduce((sum, { traces }) => sum + traces, 0);
  return (
    <div className={styles.aside}>
      <h2>{it.title}</h2>
      <p className="dim">{it.tables.length > 0 && `tables: ${it.tables.join(', ')}`}</p>
      {it.holders.length > 0 && (
        <section>
          <h3>Who held what it waited for</h3>
          <ul>
            {it.holders.map(({ who, session, share, idleShare }) => (
              <li key={session}>
                <b>{who}</b> <span className="mono">{session}</span>: {formatShare(share)}
                {idleShare >= 0.5 && ', idle in its transaction'}
              </li>
            ))}
          </ul>
        </section>
      )}
      <section>
        <h3>Programs that run it</h3>
        {it.programs.length === 0 && <p className="dim">None was seen at it.</p>}
        <ul>
          {it.programs.map(({ program, lit, before }) => (
            <li key={program}>
              {program || 'no name given'}{' '}
              <b className="mono">
                <em className={styles.was}>{formatSessions(before)} → </em>
                {formatSessions(lit)}
              </b>
              {all > 0 && <span className="dim"> {formatShare(lit / all)}</span>}
            </li>
          ))}
        </ul>
      </section>
      <section>
        <h3>
          What was asked for <span className="dim">{traced > 0 && `${traced} traces`}</span>
        </h3>
        {traced === 0 && <p className="dim">No sample of it names a stored trace.</p>}
        <ul>
          {it.callers.map(({ service, operation, traces }) => (
            <li key={`${service} ${operation}`}>
              <a href={href(`/services/${encodeURIComponent(service)}`)} suppressHydrationWarning>
                {operation}
              </a>{' '}
              <span className="dim">
                of {service}, {formatShare(traces / traced)}
              </span>
            </li>
          ))}
        </ul>
      </section>
      {it.plans.length > 1 && (
        <section>
          <h3>Plan changes</h3>
          <ul>
            {[...it.plans.slice(1)].reverse().map(({ at, difference }) => (
              <li key={at}>
                <time className="mono">{dayTime(at, zone, now)}</time> {difference.join('; ')}
              </li>
            ))}
          </ul>
        </section>
      )}
    </div>
  );
}
