import { useState } from 'react';
import type { VisitorParties } from '../../api/visitors/parties.ts';
import { formatShare } from '../../core/incidents/words.ts';
import { clockTime } from '../../core/time/clock.ts';
import { ms, partiesSentence } from '../../core/visits/words.ts';
import { isLonger } from '../../core/visits/worse.ts';
import { Bars } from '../../ui/charts/Bars.tsx';
import { DragToLight } from '../../ui/charts/DragToLight.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { StateGlyph } from '../../ui/list/StateGlyph.tsx';
import { useParties } from '../../ui/queries/visitors.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { usePageOptions } from '../../ui/state/usePageOptions.ts';
import { useZone } from '../../ui/state/zone.ts';
import { DataTable } from '../../ui/table/DataTable.tsx';
import type { TableColumn } from '../../ui/table/tableColumn.ts';
import { visitorPath } from '../../ui/visitors/visitorPaths.ts';
import styles from './Visitors.module.css';
import { type VisitorsFirst, VisitorsFrame } from './VisitorsFrame.tsx';
import { VISITORS_OPTIONS, withCondition } from './visitorsOptions.ts';

type Party = VisitorParties['parties'][number];

/** What pages ask of others, and what of the load waits for it. */
export function PartiesPage({ start, first }: { start: IslandStart; first: VisitorsFirst }) {
  const { scope } = useScope();
  const [options, setOptions] = usePageOptions(first.options, VISITORS_OPTIONS);
  const [chosenName, setChosenName] = useState('');
  const found = useParties(scope, options);
  const answer = found.data;
  const chosen = answer?.parties.find(({ party }) => party === chosenName) ?? answer?.parties[0];
  return (
    <VisitorsFrame
      start={start}
      first={first}
      here="/visitors/parties"
      options={options}
      setOptions={setOptions}
      found={found}
      answer={answer}
      headline={answer ? partiesSentence(answer.parties) : ''}
      empty={answer?.counts.lit.visits === 0}
      inspectorLabel="One third party"
      inspector={answer && chosen ? <PartyAside party={chosen} answer={answer} who={options.who} /> : undefined}
    >
      {answer && (
        <div className={styles.page} data-stale={found.isPlaceholderData}>
          <DataTable
            title="third parties"
            rows={answer.parties}
            rowKey={({ party }) => party}
            columns={COLUMNS}
            isChosen={(it) => it === chosen}
            open={({ party }) => setChosenName(party)}
          />
          {answer.parties.length === 0 && (
            <p className="dim">
              Pages are third parties’ debtors where a resource or long task is marked as theirs; none was in this window.
            </p>
          )}
        </div>
      )}
    </VisitorsFrame>
  );
}

function figure(
  key: string,
  title: string,
  about: string,
  value: (of: NonNullable<Party['lit']>) => number | null,
  text: (value: number) => string,
): TableColumn<Party> {
  return {
    key,
    title,
    about,
    value: ({ lit }) => (lit ? value(lit) : null),
    cell: ({ lit, before }) => {
      const [now, then] = [lit && value(lit), before && value(before)];
      return (
        <>
          {then !== null && <span className={styles.was}>{text(then)} → </span>}
          {now === null ? '–' : text(now)}
        </>
      );
    },
  };
}

const COLUMNS: readonly TableColumn<Party>[] = [
  {
    key: 'party',
    title: 'third party',
    align: 'left',
    value: ({ party }) => party,
    cell: ({ party, lit, before }) => (
      <>
        <StateGlyph
          state={
            !lit
              ? 'unknown'
              : isLonger(lit.heldMean, before?.heldMean ?? 0)
                ? (lit.heldMean ?? 0) > 1_000
                  ? 'failing'
                  : 'strained'
                : 'calm'
          }
        />{' '}
        <b>{party}</b>
      </>
    ),
  },
  figure(
    'held',
    'holds a load up',
    'in the mean of the views that ask it: what of the load waited for it',
    ({ heldMean }) => heldMean,
    ms,
  ),
  figure(
    'heldShare',
    'of views',
    'views whose load waited for it',
    ({ heldViews, views }) => (views > 0 ? heldViews / views : null),
    formatShare,
  ),
  figure('busy', 'keeps it busy', 'long tasks of its scripts in the mean of a view', ({ busyMean }) => busyMean, ms),
  figure('requests', 'its requests, p75', 'in a view, in sum', ({ requestP75 }) => requestP75, ms),
  figure(
    'bytes',
    'bytes a view',
    'as far as it lets them be seen',
    ({ bytes, views }) => (views > 0 ? bytes / views : null),
    bytesText,
  ),
  figure(
    'failed',
    'failed',
    'share of its requests',
    ({ failed, requests }) => (requests > 0 ? failed / requests : null),
    formatShare,
  ),
  { key: 'views', title: 'views', value: ({ lit }) => lit?.views ?? null },
];

function bytesText(bytes: number): string {
  return bytes >= 1e6
    ? `${(bytes / 1e6).toFixed(1)} MB`
    : bytes >= 1e3
      ? `${Math.round(bytes / 1e3)} kB`
      : `${Math.round(bytes)} B`;
}

const WIDTH = 256;
const HEIGHT = 56;

function PartyAside({ party: { party, lit }, answer, who }: { party: Party; answer: VisitorParties; who: string }) {
  const { href } = useScope();
  const zone = useZone();
  if (!lit) return <p className="dim">{party} was asked before only.</p>;
  const most = Math.max(1, ...lit.overTime.map((it) => it ?? 0));
  return (
    <div className={styles.aside}>
      <section>
        <h2>{party}</h2>
        <p>held up over the window, in the mean of a view</p>
        <DragToLight hug>
          <svg
            width={WIDTH}
            height={HEIGHT + 12}
            role="img"
            aria-label={`${party}: holds a load up by at most ${ms(most)} in the mean of a stretch`}
          >
            <Bars values={lit.overTime} most={most} width={WIDTH} height={HEIGHT} colour="var(--p-third)" />
            <text x={0} y={HEIGHT + 11} className={styles.mark}>
              {clockTime(Date.parse(answer.litWindow.from), zone)}
            </text>
            <text x={WIDTH} y={HEIGHT + 11} textAnchor="end" className={styles.mark}>
              to {ms(most)}
            </text>
          </svg>
        </DragToLight>
      </section>
      <section>
        <h3>By page</h3>
        <ul className={styles.pairs}>
          {lit.pages.map(([page, views, held]) => (
            <li key={page}>
              <a
                href={href(
                  visitorPath(
                    '/visitors/visits',
                    { app: answer.app, who: withCondition(who, { field: 'page', values: [page], not: false }) },
                    { order: 'waited' },
                  ),
                )}
                suppressHydrationWarning
              >
                {page}
              </a>
              <span className="mono">
                {ms(held)} <span className="dim">of {views} views</span>
              </span>
            </li>
          ))}
        </ul>
      </section>
    </div>
  );
}
