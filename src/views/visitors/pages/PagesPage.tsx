import { useMemo, useState } from 'react';
import type { VisitorPages } from '../../../api/visitors/pages.ts';
import { formatCount } from '../../../core/measures/amount.ts';
import { withinRange } from '../../../core/time/clock.ts';
import { formatDuration } from '../../../core/time/duration.ts';
import { worstBy } from '../../../core/visits/pageViews.ts';
import { ms, pagesSentence } from '../../../core/visits/words.ts';
import { usePinnables } from '../../../ui/casebook/pinnables.ts';
import type { IslandStart } from '../../../ui/islands/Island.tsx';
import { usePageKeys } from '../../../ui/keys/pageKeys.ts';
import { useVisitorPages } from '../../../ui/queries/visitors.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { usePageOptions } from '../../../ui/state/usePageOptions.ts';
import { useZone } from '../../../ui/state/zone.ts';
import { roundAxis } from '../shares.ts';
import styles from '../Visitors.module.css';
import { type VisitorsFirst, VisitorsFrame } from '../VisitorsFrame.tsx';
import { appInWords, VISITORS_OPTIONS, withCondition } from '../visitorsOptions.ts';
import { FacetPairs } from './FacetPairs.tsx';
import { PageRows } from './PageRows.tsx';
import { PagesAside } from './PagesAside.tsx';
import { PagesHead } from './PagesHead.tsx';

/** What people lived through on pages, and which phase of a load it is. */
export function PagesPage({ start, first }: { start: IslandStart; first: VisitorsFirst }) {
  const { scope, change } = useScope();
  const zone = useZone();
  const [options, setOptions] = usePageOptions(first.options, VISITORS_OPTIONS);
  const found = useVisitorPages(scope, options, options.target);
  const answer = found.data;
  const pages = useMemo(() => worstBy(options.view, answer?.pages ?? []), [options.view, answer]);
  const chosen = pages.find(({ page }) => page === options.page) ?? pages[0];
  const [all, setAll] = useState(false);
  usePinnables([
    answer && {
      kind: 'pages',
      what: 'what visitors lived through',
      of: 'windows',
      query: { app: answer.app, target: String(options.target), ...(options.who && { who: options.who }) },
    },
  ]);
  const walk = (by: number) => {
    if (!answer || !chosen) return;
    const next = pages[Math.min(pages.length - 1, Math.max(0, pages.indexOf(chosen) + by))];
    setOptions({ page: next.page }, false);
  };
  usePageKeys([
    ['j', () => walk(1)],
    ['k', () => walk(-1)],
    ['Escape', () => setOptions({ page: '' }, false)],
  ]);
  const extra = answer?.pages.reduce((sum, { extraMs }) => sum + extraMs, 0) ?? 0;
  const worst = answer?.worst;
  const isPhone = answer !== undefined && Object.keys(answer.whole.lit.vitals).length === 0;
  const axis = roundAxis(
    Math.max(
      200,
      ...(answer ? [answer.whole, ...answer.pages] : []).flatMap(({ lit, before }) => [
        lit.ready.p95 ?? 0,
        before.ready.p95 ?? 0,
      ]),
    ),
  );
  return (
    <VisitorsFrame
      start={start}
      first={first}
      here="/visitors"
      options={options}
      setOptions={setOptions}
      found={found}
      answer={answer}
      headline={answer ? headlineOf(answer, isPhone, zone) : ''}
      note={
        answer && (
          <>
            {formatCount(answer.counts.lit.visits)} visits
            {extra > 60_000 && ` · ${formatDuration(extra * 1e6)} of extra waiting`}
            {worst && (
              <>
                {' '}
                in all of the window{' '}
                <button
                  type="button"
                  className={styles.choice}
                  onClick={() => change({ ...scope, lit: { type: 'fixed', from: worst.from, to: worst.to } })}
                >
                  light the worst part
                </button>
              </>
            )}
          </>
        )
      }
      empty={answer !== undefined && answer.whole.lit.views === 0}
      inspectorLabel="Where the time went"
      inspector={
        answer && chosen && answer.whole.lit.views > 0 ? (
          <PagesAside answer={answer} chosen={chosen} options={options} />
        ) : undefined
      }
    >
      {answer && (
        <div className={styles.page} data-stale={found.isPlaceholderData}>
          <PagesHead answer={answer} axis={axis} setTarget={(target) => setOptions({ target })} />
          <PageRows
            pages={all ? pages : pages.slice(0, ROWS)}
            view={options.view}
            setView={(view) => setOptions({ view, page: '' })}
            axis={axis}
            chosen={chosen?.page ?? ''}
            choose={(page) => setOptions({ page }, false)}
          />
          {answer.pages.length > ROWS && (
            <button type="button" className={styles.more} onClick={() => setAll(!all)}>
              {all ? 'fewer' : `${answer.pages.length - ROWS} more ${answer.pages.length - ROWS === 1 ? 'page' : 'pages'}`}
              {options.view === 'waiting' && `, less waiting than ${ms(pages[ROWS - 1].extraMs)} in sum`}
            </button>
          )}
          <FacetPairs
            answer={answer}
            narrow={(field, value) => setOptions({ who: withCondition(options.who, { field, values: [value], not: false }) })}
          />
        </div>
      )}
    </VisitorsFrame>
  );
}

/** Of a long window that was worse in a part of it, about that part. */
function headlineOf({ whole, counts, worst, litWindow, ...about }: VisitorPages, isPhone: boolean, zone: string): string {
  const pages = isPhone ? 'Screens' : 'Pages';
  const app = appInWords(about);
  if (!worst) return pagesSentence(whole, counts, pages, '', app);
  const when = withinRange(worst.from, worst.to, zone, Date.parse(litWindow.to));
  return pagesSentence({ lit: worst.lit, before: whole.before }, { lit: worst.counts, before: counts.before }, pages, when, app);
}

/** Pages that are seen without scrolling. */
const ROWS = 7;
