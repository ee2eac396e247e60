import type { VisitorPages } from '../../../api/visitors/pages.ts';
import { formatCount } from '../../../core/measures/amount.ts';
import { clockTime } from '../../../core/time/clock.ts';
import { PHASES } from '../../../core/visits/loadPhases.ts';
import { SIGNS } from '../../../core/visits/struggle.ts';
import { ms, PHASE_WORDS, SIGN_WORDS } from '../../../core/visits/words.ts';
import { isLonger } from '../../../core/visits/worse.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { useZone } from '../../../ui/state/zone.ts';
import { visitorPath, visitPath } from '../../../ui/visitors/visitorPaths.ts';
import { SignGlyph } from '../SignGlyph.tsx';
import styles from '../Visitors.module.css';
import { type VisitorsOptions, withCondition } from '../visitorsOptions.ts';
import { LongerTime } from './LongerTime.tsx';
import { PageApdex } from './PageApdex.tsx';

interface PagesAsideProps {
  readonly answer: VisitorPages;
  readonly chosen: VisitorPages['pages'][number];
  readonly options: VisitorsOptions;
}

/** Where the time of a page went, since when, and how visitors struggle. */
export function PagesAside({ answer, chosen, options }: PagesAsideProps) {
  const { page, lit, before } = chosen;
  const { href } = useScope();
  const zone = useZone();
  const choice = { app: answer.app, who: options.who };
  const onPage = { app: answer.app, who: withCondition(options.who, { field: 'page', values: [page], not: false }) };
  const { counts } = answer;
  const started = answer.facets
    .find(({ facet }) => facet === 'version')
    ?.values.find(({ before, lit }) => before === 0 && lit > 0);
  const rows = PHASES.map((phase) => ({ phase, was: before.band.phases[phase], now: lit.band.phases[phase] })).sort(
    (a, b) => b.now - a.now,
  );
  return (
    <div className={styles.aside}>
      <section>
        <h2>
          Where the {ms(lit.band.readyMs)} of {page} went
        </h2>
        <p className="dim">loads from p70 to p80 of being ready ({lit.band.loads}), in the mean; adds up exactly</p>
        <div className={styles.stripe} aria-hidden="true">
          {PHASES.map((phase) => (
            <span
              key={phase}
              style={{ width: `${(100 * lit.band.phases[phase]) / (lit.band.readyMs || 1)}%`, background: `var(--p-${phase})` }}
            />
          ))}
        </div>
        <ul className={styles.pairs}>
          {rows.map(({ phase, was, now }) => (
            <li key={phase}>
              <i style={{ background: `var(--p-${phase})` }} />
              <span>
                <b>{phase === 'third' && lit.band.party ? lit.band.party : PHASE_WORDS[phase].name}</b>{' '}
                <span className="dim">
                  {phase === 'third' && lit.band.script ? fileOf(lit.band.script) : PHASE_WORDS[phase].what}
                </span>
              </span>
              <span className="mono">
                <span className={styles.was}>{before.band.loads > 0 ? ms(was) : '–'}</span> → {ms(now)}
              </span>
            </li>
          ))}
        </ul>
        {before.band.loads > 0 && (
          <p>
            {isLonger(lit.band.phases.server, before.band.phases.server)
              ? `The company answers later: ${ms(before.band.phases.server)} → ${ms(lit.band.phases.server)} until the first byte.`
              : `The company answers as before: ${ms(lit.band.phases.server)} until the first byte.`}
          </p>
        )}
      </section>
      <PageApdex app={answer.app} chosen={chosen} ofAll={answer.target} />
      {started && started.firstMs !== null && (
        <section>
          <h2>
            {answer.app} {started.value}, since {clockTime(started.firstMs, zone)}
          </h2>
          <p>
            First seen in this window; {formatCount(started.lit)} of {formatCount(answer.whole.lit.views)} views. Ready in{' '}
            {ms(started.litP75)} at p75.
          </p>
        </section>
      )}
      <p className={styles.actions}>
        <a
          data-main="true"
          href={href(visitorPath('/visitors/visits', { ...onPage, who: onPage.who }, { order: 'waited' }))}
          suppressHydrationWarning
        >
          Visits of this page
        </a>
        <a href={href(visitorPath('/visitors/visits', choice))} suppressHydrationWarning>
          All {formatCount(counts.lit.visits)}
        </a>
      </p>
      <section>
        <h2>Signs of struggle</h2>
        <p>
          in <b>{formatCount(counts.lit.struggling)}</b> of {formatCount(counts.lit.visits)} visits,{' '}
          <span className={styles.was}>
            before {formatCount(counts.before.struggling)} of {formatCount(counts.before.visits)}
          </span>
        </p>
        <ul className={styles.pairs}>
          {SIGNS.map((sign) => (
            <li key={sign}>
              <SignGlyph sign={sign} size={15} />
              <a
                href={href(
                  visitorPath('/visitors/visits', {
                    app: answer.app,
                    who: withCondition(options.who, { field: 'sign', values: [sign], not: false }),
                  }),
                )}
                suppressHydrationWarning
              >
                {sign}
              </a>
              <span className="dim">{SIGN_WORDS[sign]}</span>
              <span className="mono">
                <span className={styles.was}>{formatCount(answer.whole.before.signs[sign])}</span> →{' '}
                {formatCount(answer.whole.lit.signs[sign])}
              </span>
            </li>
          ))}
        </ul>
        {answer.elements.length > 0 && (
          <>
            <h3>Most</h3>
            <ul className={styles.pairs}>
              {answer.elements.slice(0, 5).map((it) => (
                <li key={`${it.sign} ${it.page} ${it.name}`}>
                  <SignGlyph sign={it.sign} />
                  <a href={href(visitPath(it.session, choice))} suppressHydrationWarning>
                    {it.name}
                  </a>
                  <span className="dim">{it.page}</span>
                  <span className="mono">{formatCount(it.times)}</span>
                </li>
              ))}
            </ul>
          </>
        )}
        <p>
          Errors or crashes in{' '}
          <span className={styles.was}>
            {counts.before.faulty} of {counts.before.visits}
          </span>{' '}
          → {counts.lit.faulty} of {counts.lit.visits} visits:{' '}
          <a href={href(visitorPath('/visitors/versions', choice))} suppressHydrationWarning>
            kinds
          </a>
        </p>
      </section>
      <LongerTime choice={choice} />
      {answer.apps
        .filter(({ app }) => app !== answer.app)
        .slice(0, 3)
        .map(({ app, visits }) => (
          <p key={app}>
            <a href={href(visitorPath('/visitors', { app, who: '' }))} suppressHydrationWarning>
              {app}
            </a>{' '}
            <span className="dim">{formatCount(visits)} visits</span>
          </p>
        ))}
    </div>
  );
}

function fileOf(script: string): string {
  return script.split('?')[0].split('/').at(-1) || script;
}
