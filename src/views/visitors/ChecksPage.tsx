import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { VisitorChecks } from '../../api/visitors/checks.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { clockTime } from '../../core/time/clock.ts';
import { ms } from '../../core/visits/words.ts';
import { usePinnables } from '../../ui/casebook/pinnables.ts';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { fetchJson } from '../../ui/queries/fetchJson.ts';
import { useChecks } from '../../ui/queries/visitors.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import type { TableColumn } from '../../ui/table/tableColumn.ts';
import { visitorPath } from '../../ui/visitors/visitorPaths.ts';
import checks from './Checks.module.css';
import steps from './steps/Steps.module.css';
import styles from './Visitors.module.css';
import { type VisitorsFirst, VisitorsFrame } from './VisitorsFrame.tsx';
import { VISITORS_OPTIONS } from './visitorsOptions.ts';

type Check = VisitorChecks['checks'][number];

/** Scripted checks beside the real visitors: do they get through, and how fast. */
export function ChecksPage({ start, first }: { start: IslandStart; first: VisitorsFirst }) {
  const { scope } = useScope();
  const [options, setOptions] = usePageOptions(first.options, VISITORS_OPTIONS);
  const found = useChecks(scope);
  const answer = found.data;
  const chosen = answer?.checks.find(({ name }) => name === options.page) ?? answer?.checks[0];
  usePinnables([
    chosen && { kind: 'checks', what: `check ${chosen.name}`, of: 'windows', part: { rows: chosen.name } },
    answer && { kind: 'checks', what: 'all checks', of: 'windows' },
  ]);
  const walk = (by: number) => {
    if (!answer || !chosen) return;
    const at = answer.checks.indexOf(chosen) + by;
    if (answer.checks[at]) setOptions({ page: answer.checks[at].name }, false);
  };
  usePageKeys([
    ['j', () => walk(1)],
    ['k', () => walk(-1)],
  ]);
  return (
    <VisitorsFrame
      start={start}
      first={first}
      here="/visitors/checks"
      options={options}
      setOptions={(part) => setOptions(part)}
      found={found}
      answer={answer && { apps: [], app: '' }}
      headline={answer ? checksSentence(answer.checks) : ''}
      empty={false}
      inspectorLabel="One check"
      inspector={chosen && <CheckAside check={chosen} />}
    >
      {answer && answer.checks.length === 0 && (
        <p className="dim">
          A check is a YAML file: what to open, press, type and see, how often, and within which time.{' '}
          <code>./dusk collect check FILE</code> runs it and sends what came of it here.
        </p>
      )}
      {answer && answer.checks.length > 0 && (
        <div className={styles.page} data-stale={found.isPlaceholderData}>
          <DataTable
            title="checks"
            whole
            rows={answer.checks}
            rowKey={({ name }) => name}
            columns={COLUMNS}
            isChosen={(it) => it === chosen}
            open={({ name }) => setOptions({ page: name }, false)}
          />
          {chosen && <Runs check={chosen} />}
        </div>
      )}
    </VisitorsFrame>
  );
}

function checksSentence(checks: readonly Check[]): string {
  if (checks.length === 0) return 'No scripted check ran in this window';
  const failing = checks.filter(({ runs }) => !runs.at(-1)?.ok);
  if (failing.length > 0) {
    const [worst] = failing;
    const error = worst.runs.at(-1)?.error ?? '';
    return `${worst.name} fails: ${error}${failing.length > 1 ? `; ${failing.length - 1} more ${failing.length === 2 ? 'fails' : 'fail'}` : ''}`;
  }
  const [worst] = checks;
  if (worst.lit.failed > 0)
    return `All checks go well now; ${worst.name} failed ${worst.lit.failed} of ${worst.lit.runs} times in this window`;
  return checks.length === 1
    ? `${worst.name} went well ${worst.lit.runs} of ${worst.lit.runs} times`
    : `All ${checks.length} checks went well each time`;
}

function wellOf({ runs, failed }: Check['lit']): number | null {
  return runs > 0 ? (runs - failed) / runs : null;
}

const COLUMNS: readonly TableColumn<Check>[] = [
  {
    key: 'name',
    title: 'check',
    align: 'left',
    value: ({ name }) => name,
    cell: ({ name, runs, lit }) => (
      <>
        <StateGlyph
          state={!runs.at(-1)?.ok ? 'failing' : lit.failed > 0 ? 'strained' : 'calm'}
          word={!runs.at(-1)?.ok ? 'fails' : lit.failed > 0 ? 'failed before' : 'goes well'}
        />{' '}
        <b>{name}</b>
      </>
    ),
  },
  { key: 'kind', title: 'of', align: 'left', value: ({ kind }) => (kind === 'journey' ? 'a journey' : 'an address') },
  {
    key: 'well',
    title: 'went well',
    value: ({ lit }) => wellOf(lit),
    cell: ({ lit, before }) => {
      const then = wellOf(before);
      return (
        <>
          {then !== null && <span className={styles.was}>{formatShare(then)} → </span>}
          {formatShare(wellOf(lit) ?? 0)}
        </>
      );
    },
  },
  { key: 'runs', title: 'runs', value: ({ lit }) => lit.runs },
  {
    key: 'p50',
    title: 'takes, p50',
    value: ({ lit }) => lit.p50,
    cell: ({ lit, before }) => (
      <>
        {before.p50 !== null && <span className={styles.was}>{ms(before.p50)} → </span>}
        {ms(lit.p50)}
      </>
    ),
  },
  { key: 'p95', title: 'p95', value: ({ lit }) => lit.p95, cell: ({ lit }) => ms(lit.p95) },
  {
    key: 'real',
    title: 'visitors, ready p75',
    about: 'real visitors of the page that the check opens first',
    value: ({ real }) => real?.p75 ?? null,
    cell: ({ real }) =>
      real ? (
        <>
          {real.beforeP75 !== null && <span className={styles.was}>{ms(real.beforeP75)} → </span>}
          {ms(real.p75)}
        </>
      ) : (
        <span className="dim">none</span>
      ),
  },
];

const WIDTH = 872;
const HEIGHT = 120;

/** Runs over time: how long each took; one that failed is a crossed square at its time. */
function Runs({ check: { runs, name } }: { check: Check }) {
  const zone = useZone();
  const [from, to] = [runs[0].at, Math.max(runs.at(-1)!.at, runs[0].at + 1)];
  const most = Math.max(...runs.map((it) => it.ms), 1) * 1.1;
  const x = (at: number) => 10 + ((at - from) / (to - from)) * (WIDTH - 20);
  const y = (value: number) => HEIGHT - 18 - (value / most) * (HEIGHT - 28);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className={checks.runs}
      role="img"
      aria-label={`${name}: ${runs.length} runs, ${runs.filter(({ ok }) => !ok).length} failed, up to ${ms(most / 1.1)}`}
    >
      <line x1={10} x2={WIDTH - 10} y1={y(0)} y2={y(0)} stroke="var(--line)" />
      {runs.map((it) =>
        it.ok ? (
          <circle key={it.at + it.place} cx={x(it.at)} cy={y(it.ms)} r={2.6} fill="var(--lit)">
            <title>{`${clockTime(it.at, zone, true)}: ${ms(it.ms)}`}</title>
          </circle>
        ) : (
          <g key={it.at + it.place} transform={`translate(${x(it.at) - 5} ${y(it.ms) - 5})`}>
            <rect width={10} height={10} rx={1.5} fill="var(--failing)" />
            <path d="M2.5 2.5l5 5m0-5l-5 5" stroke="var(--ground)" strokeWidth={1.6} />
            <title>{`${clockTime(it.at, zone, true)}: ${it.error}`}</title>
          </g>
        ),
      )}
      <text x={10} y={HEIGHT - 4}>
        {clockTime(from, zone)}
      </text>
      <text x={WIDTH - 10} y={HEIGHT - 4} textAnchor="end">
        {clockTime(to, zone)}
      </text>
      <text x={10} y={10}>
        {ms(most / 1.1)}
      </text>
    </svg>
  );
}

/** The steps of a check, lit against before, and the last run that failed with what the browser showed. */
function CheckAside({ check: { name, lit, before, runs, real, page, places } }: { check: Check }) {
  const { href } = useScope();
  const zone = useZone();
  const [shown, setShown] = useState<number>();
  const failed = runs.findLast(({ ok }) => !ok);
  const at = shown ?? failed?.at;
  const run = runs.find((it) => it.at === at);
  const picture = useQuery({
    queryKey: ['check picture', name, run?.at],
    queryFn: ({ signal }) =>
      fetchJson<{ jpeg: string }>(`/api/visitors/checks/${encodeURIComponent(name)}/picture`, { at: String(run!.at) }, signal),
    enabled: run?.picture === true,
    staleTime: Number.POSITIVE_INFINITY,
  });
  return (
    <div className={styles.aside}>
      <section>
        <h2>{name}</h2>
        <p className="dim">
          from {places.join(', ')}
          {page && `, begins with ${page}`}
        </p>
        <ul className={styles.pairs}>
          {lit.steps.map((it) => (
            <li key={it.name}>
              <StateGlyph
                state={it.failed > 0 ? 'failing' : 'calm'}
                word={it.failed > 0 ? `failed ${it.failed} times` : 'went well'}
              />
              <span>{it.name}</span>
              <span className="mono">
                <span className={styles.was}>{ms(before.steps.find((of) => of.name === it.name)?.p50 ?? null)}</span> →{' '}
                {ms(it.p50)}
              </span>
            </li>
          ))}
        </ul>
      </section>
      {real && (
        <p>
          {formatCount(real.views)} real views of{' '}
          <a href={href(visitorPath('/visitors', { app: real.app, who: '' }, { page }))} suppressHydrationWarning>
            {page}
          </a>{' '}
          in the window: ready in <span className={styles.was}>{ms(real.beforeP75)}</span> → {ms(real.p75)} at p75.
        </p>
      )}
      {run && !run.ok && (
        <section>
          <h2>Failed at {clockTime(run.at, zone, true)}</h2>
          <pre className={steps.stack}>{run.error}</pre>
          {picture.data && (
            <img
              className={checks.picture}
              src={`data:image/jpeg;base64,${picture.data.jpeg}`}
              alt={`What the browser showed when ${name} failed`}
            />
          )}
          {run.traceId && (
            <p>
              <a href={href(`/traces/${run.traceId}`)} suppressHydrationWarning>
                Its trace
              </a>
            </p>
          )}
        </section>
      )}
      <section>
        <h3>Runs that failed</h3>
        <ul className={styles.pairs}>
          {runs
            .filter(({ ok }) => !ok)
            .slice(-8)
            .map((it) => (
              <li key={it.at}>
                <button type="button" onClick={() => setShown(it.at)} aria-pressed={it.at === at}>
                  {clockTime(it.at, zone, true)}
                </button>
                <span className="dim">{it.error.slice(0, 60)}</span>
              </li>
            ))}
          {!failed && <li className="dim">none in this window</li>}
        </ul>
      </section>
    </div>
  );
}
