import type { VisitorVisits } from '../../api/visitors/visits.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { dayTime } from '../../core/time/clock.ts';
import { formatDuration } from '../../core/time/duration.ts';
import { VISIT_ORDERS } from '../../core/visits/figures/visitRows.ts';
import { SIGNS } from '../../core/visits/struggle.ts';
import { ms, SIGN_WORDS } from '../../core/visits/words.ts';
import { Bars } from '../../ui/charts/Bars.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { useVisits } from '../../ui/queries/visitors.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import type { TableColumn } from '../../ui/table/tableColumn.ts';
import { visitorPath, visitPath } from '../../ui/visitors/visitorPaths.ts';
import { SignGlyph } from './SignGlyph.tsx';
import styles from './Visitors.module.css';
import { type VisitorsFirst, VisitorsFrame } from './VisitorsFrame.tsx';
import { VISITORS_OPTIONS, withCondition } from './visitorsOptions.ts';

type Visit = VisitorVisits['visits'][number];

const ORDER_WORDS: Readonly<Record<(typeof VISIT_ORDERS)[number], string>> = {
  struggle: 'most struggle',
  waited: 'waited longest',
  errors: 'most errors',
  latest: 'latest',
  longest: 'longest',
};

/** The visits of the window, those first that say most. */
export function VisitsPage({ start, first }: { start: IslandStart; first: VisitorsFirst }) {
  const { scope, href } = useScope();
  const zone = useZone();
  const [options, setOptions] = usePageOptions(first.options, VISITORS_OPTIONS);
  const found = useVisits(scope, options, options.order || 'struggle');
  const answer = found.data;
  const choice = { app: answer?.app ?? options.app, who: options.who };
  return (
    <VisitorsFrame
      start={start}
      first={first}
      here="/visitors/visits"
      options={options}
      setOptions={setOptions}
      found={found}
      answer={answer}
      headline={answer ? visitsSentence(answer) : ''}
      note={answer && answer.total > answer.visits.length && `${answer.visits.length} of ${formatCount(answer.total)} are listed`}
      empty={answer?.total === 0}
      inspectorLabel="Which visits"
      inspector={answer && answer.total > 0 ? <VisitsAside answer={answer} who={options.who} /> : undefined}
    >
      {answer && (
        <DataTable
          title="visits"
          columns={columnsOf(zone, start.now)}
          rows={answer.visits}
          rowKey={({ session, at }) => `${session} ${at}`}
          open={({ session }) => location.assign(href(visitPath(session, choice)))}
          stale={found.isPlaceholderData}
          bar={
            <div className={styles.apps} role="group" aria-label="Order">
              {VISIT_ORDERS.map((order) => (
                <button key={order} type="button" aria-pressed={order === answer.order} onClick={() => setOptions({ order })}>
                  {ORDER_WORDS[order]}
                </button>
              ))}
            </div>
          }
        />
      )}
    </VisitorsFrame>
  );

  function columnsOf(zone: string, now: number): TableColumn<Visit>[] {
    return [
      {
        key: 'at',
        title: 'began',
        align: 'left',
        value: ({ at }) => at,
        cell: ({ at, session }) => (
          <a href={href(visitPath(session, choice))} suppressHydrationWarning>
            {dayTime(at, zone, now)}
          </a>
        ),
      },
      { key: 'user', title: 'who', align: 'left', value: ({ user }) => user },
      { key: 'session', title: 'session', align: 'left', value: ({ session }) => session, hidden: true },
      { key: 'region', title: 'island', align: 'left', value: ({ facets }) => facets.region },
      {
        key: 'with',
        title: 'with',
        align: 'left',
        value: ({ facets }) => [facets.browser, facets.device].filter(Boolean).join(', '),
      },
      { key: 'version', title: 'version', align: 'left', value: ({ facets }) => facets.version },
      { key: 'lasted', title: 'lasted', value: ({ lastedMs }) => lastedMs, cell: ({ lastedMs }) => ms(lastedMs) },
      { key: 'waited', title: 'waited', value: ({ waitedMs }) => waitedMs, cell: ({ waitedMs }) => ms(waitedMs) },
      { key: 'views', title: 'views', value: ({ views }) => views },
      { key: 'actions', title: 'presses', value: ({ actions }) => actions },
      ...SIGNS.map(
        (sign): TableColumn<Visit> => ({
          key: sign,
          title: sign,
          about: SIGN_WORDS[sign],
          value: ({ signs }) => signs[sign],
          cell: ({ signs }) => (signs[sign] > 0 ? signs[sign] : <span className="dim">0</span>),
        }),
      ),
      {
        key: 'errors',
        title: 'errors',
        value: ({ errors, crashes }) => errors + crashes,
        cell: ({ errors, crashes }) => (crashes > 0 ? 'crashed' : errors > 0 ? errors : <span className="dim">0</span>),
      },
    ];
  }
}

function visitsSentence({ counts: { lit, before }, total, waited }: VisitorVisits): string {
  if (total === 0) return 'No visit began in this window';
  const half = waited[50] ?? 0;
  const share = (part: number, of: number) => (of > 0 ? part / of : 0);
  const more = share(lit.struggling, lit.visits) > 2 * share(before.struggling, before.visits) + 0.02;
  if (more) return `${formatCount(lit.struggling)} of ${formatCount(total)} visits show signs of struggle`;
  return `Half of ${formatCount(total)} visits waited more than ${ms(half)}, one in twenty more than ${ms(waited[95] ?? 0)}`;
}

const WIDTH = 256;
const HEIGHT = 60;

function VisitsAside({ answer: { waited, counts, app }, who }: { answer: VisitorVisits; who: string }) {
  const { href } = useScope();
  const most = Math.max(waited[98] ?? 1, 1);
  const only = (field: string, value: string) =>
    href(visitorPath('/visitors/visits', { app, who: withCondition(who, { field, values: [value], not: false }) }));
  return (
    <div className={styles.aside}>
      <section>
        <h2>How long visits waited</h2>
        <svg
          width={WIDTH}
          height={HEIGHT + 12}
          role="img"
          aria-label={`Waiting in a visit: half under ${ms(waited[50] ?? 0)}, 95 % under ${ms(waited[95] ?? 0)}`}
        >
          <Bars values={waited.slice(0, 99)} most={most} width={WIDTH} height={HEIGHT} colour="var(--lit)" />
          <text x={0} y={HEIGHT + 11} className={styles.mark}>
            least
          </text>
          <text x={WIDTH} y={HEIGHT + 11} textAnchor="end" className={styles.mark}>
            to {formatDuration(most * 1e6)}
          </text>
        </svg>
      </section>
      <section>
        <h2>Only those</h2>
        <ul className={styles.pairs}>
          {SIGNS.map((sign) => (
            <li key={sign}>
              <SignGlyph sign={sign} size={15} />
              <a href={only('sign', sign)} suppressHydrationWarning>
                {sign}
              </a>
              <span className="dim">{SIGN_WORDS[sign]}</span>
            </li>
          ))}
          <li>
            <a href={only('fault', 'error')} suppressHydrationWarning>
              with an error
            </a>
          </li>
          <li>
            <a href={only('fault', 'crash')} suppressHydrationWarning>
              that crashed
            </a>
            <span className="mono">{formatCount(counts.lit.crashed)}</span>
          </li>
          <li>
            <a href={only('new', 'yes')} suppressHydrationWarning>
              of new visitors
            </a>
          </li>
        </ul>
      </section>
      <section>
        <h2>In sum</h2>
        <ul className={styles.pairs}>
          {(['visits', 'views', 'actions', 'resources', 'errors', 'crashes'] as const).map((name) => (
            <li key={name}>
              <span>{name === 'actions' ? 'presses' : name}</span>
              <span className="mono">
                <span className={styles.was}>{formatCount(counts.before[name])}</span> → {formatCount(counts.lit[name])}
              </span>
            </li>
          ))}
        </ul>
      </section>
    </div>
  );
}
