import type { VisitorPages } from '../../../api/visitors/pages.ts';
import { formatCount } from '../../../core/measures/amount.ts';
import { shortDuration } from '../../../core/time/duration.ts';
import { PHASES } from '../../../core/visits/loadPhases.ts';
import { countOf, PAGE_VIEWS, type PageView } from '../../../core/visits/pageViews.ts';
import { SIGNS } from '../../../core/visits/struggle.ts';
import { ms, PHASE_WORDS, SIGN_WORDS } from '../../../core/visits/words.ts';
import { StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { SignGlyph } from '../SignGlyph.tsx';
import { loadState, percent } from '../shares.ts';
import styles from '../Visitors.module.css';
import { PhaseBar } from './PhaseBar.tsx';

type Page = VisitorPages['pages'][number];

interface PageRowsProps {
  readonly pages: readonly Page[];
  readonly view: PageView;
  readonly setView: (view: PageView) => void;
  readonly axis: { readonly end: number; readonly ticks: readonly number[] };
  readonly chosen: string;
  readonly choose: (page: string) => void;
}

const WIDTH = 296;
/** What the last column is of. */
const LAST: Readonly<Record<PageView, string>> = {
  waiting: 'left, %',
  errors: 'errors, %',
  struggle: 'signs, %',
};

const LAST_WORDS: Readonly<Record<PageView, string>> = {
  waiting: 'views on which the visit ended, of all',
  errors: 'views with an error or a crash, of all',
  struggle: 'signs of struggle in a hundred views',
};

function last(view: PageView, figures: Page['lit']): string {
  return percent(view === 'waiting' ? figures.left : countOf(view, figures), figures.views);
}

/** Pages on one axis of time, each with its phases that add up, before above and lit below; the tail to the 95th percentile. */
export function PageRows({ pages, view, setView, axis, chosen, choose }: PageRowsProps) {
  const scale = (value: number) => (Math.min(value, axis.end) / axis.end) * WIDTH;
  return (
    <>
      <table className={styles.pages}>
        <thead>
          <tr>
            <th>
              <label>
                most{' '}
                <select value={view} onChange={(event) => setView(event.currentTarget.value as PageView)}>
                  {PAGE_VIEWS.map((it) => (
                    <option key={it}>{it}</option>
                  ))}
                </select>{' '}
                first
              </label>
            </th>
            <th className={styles.number}>views</th>
            <th>
              <svg width={WIDTH + 20} height={14} aria-hidden="true" className={styles.ticks}>
                {axis.ticks.map((tick) => (
                  <text key={tick} x={scale(tick)} y={11} textAnchor={tick === 0 ? 'start' : 'middle'}>
                    {shortDuration(tick * 1e6)}
                  </text>
                ))}
              </svg>
            </th>
            <th className={styles.number}>ready, p75</th>
            <th>{SIGNS.map((it) => (it === 'turned away' ? 'away' : it)).join(' · ')}</th>
            <th className={styles.number} title={LAST_WORDS[view]}>
              {LAST[view]}
            </th>
          </tr>
        </thead>
        <tbody>
          {pages.map(({ page, lit, before }) => (
            <tr key={page} data-chosen={page === chosen}>
              <td>
                <StateGlyph state={loadState(lit.ready.p75, before.ready.p75)} />{' '}
                <button type="button" onClick={() => choose(page)} aria-pressed={page === chosen}>
                  {page}
                </button>
              </td>
              <td className={styles.number}>{formatCount(lit.views)}</td>
              <td>
                <svg
                  width={WIDTH + 20}
                  height={26}
                  role="img"
                  aria-label={`${page}: ready in ${ms(before.ready.p75)} before, ${ms(lit.ready.p75)} lit; ${PHASES.map((it) => `${PHASE_WORDS[it].name} ${ms(before.band.phases[it])} to ${ms(lit.band.phases[it])}`).join(', ')}`}
                >
                  {axis.ticks.map((tick) => (
                    <line key={tick} x1={scale(tick)} x2={scale(tick)} y1={0} y2={26} stroke="var(--line-soft)" />
                  ))}
                  <line x1={0} x2={scale(before.ready.p75 ?? 0)} y1={2.5} y2={2.5} stroke="var(--before)" strokeWidth={2} />
                  <PhaseBar phases={before.band.phases} scale={scale} y={4.5} height={4} dim />
                  <PhaseBar phases={lit.band.phases} scale={scale} y={10} height={11} />
                  <line x1={0} x2={scale(lit.ready.p75 ?? 0)} y1={23} y2={23} stroke="var(--lit)" strokeWidth={2} />
                  {lit.ready.p95 !== null && lit.ready.p75 !== null && (
                    <path d={`M${scale(lit.ready.p75)} 15.5H${scale(lit.ready.p95)}m0 -4v8`} stroke="var(--text-3)" fill="none" />
                  )}
                </svg>
              </td>
              <td className={styles.number}>
                <span className={styles.was}>{ms(before.ready.p75)}</span>→{ms(lit.ready.p75)}
              </td>
              <td className={styles.signs}>
                {SIGNS.map((sign) => (
                  <span
                    key={sign}
                    title={`${sign}: ${SIGN_WORDS[sign]}; ${before.signs[sign]} before`}
                    data-none={lit.signs[sign] === 0}
                  >
                    <SignGlyph sign={sign} /> {formatCount(lit.signs[sign])}
                  </span>
                ))}
              </td>
              <td className={styles.number}>
                <span className={styles.was}>{last(view, before)}</span>→{last(view, lit)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className={styles.legend}>
        {PHASES.map((phase) => (
          <span key={phase}>
            <i style={{ background: `var(--p-${phase})` }} /> {PHASE_WORDS[phase].name}
          </span>
        ))}
        <span>⊢ to p95</span>
      </p>
    </>
  );
}
