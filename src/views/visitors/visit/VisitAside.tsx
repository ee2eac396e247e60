import { useState } from 'react';
import type { OneVisit } from '../../../api/visitors/visit.ts';
import { formatShare } from '../../../core/incidents/words.ts';
import { KIND_WORDS } from '../../../core/trace/time/kindWords.ts';
import type { HolderKind } from '../../../core/visits/account.ts';
import type { Vital } from '../../../core/visits/figures/vitals.ts';
import type { StoryLine } from '../../../core/visits/story.ts';
import { HOLDER_WORDS, ms, VITAL_WORDS, vitalText } from '../../../core/visits/words.ts';
import { StateGlyph } from '../../../ui/list/StateGlyph.tsx';
import { readArchive } from '../../../ui/queries/visitors.ts';
import { saveFile } from '../../../ui/save/file.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { type VisitorChoice, visitorPath } from '../../../ui/visitors/visitorPaths.ts';
import steps from '../steps/Steps.module.css';
import styles from '../Visitors.module.css';
import { withCondition } from '../visitorsOptions.ts';

interface VisitAsideProps {
  readonly visit: OneVisit;
  readonly chosen: StoryLine | undefined;
  readonly choice: VisitorChoice;
}

/** Where the time of a visit went, the answer that took longest or is chosen, why it ended, and what is known of the visitor. */
export function VisitAside({ visit, chosen, choice }: VisitAsideProps) {
  const { scope, href } = useScope();
  const whole = (visit.to - visit.from) * 1_000;
  const own = visit.account.find(({ kind }) => kind === 'visitor')?.us ?? 0;
  const answer = visit.answers.find(({ traceId }) => chosen && traceId !== '' && traceId === chosen.traceId) ?? visit.answers[0];
  const view = visit.views.find(({ at }) => chosen?.kind === 'page' && at === chosen.atMs);
  const faults = visit.events.filter(({ kind }) => kind === 'error' || kind === 'crash');
  const fault = faults.find(({ at }) => at === chosen?.atMs) ?? faults.at(-1);
  const [saved, setSaved] = useState(false);
  return (
    <div className={styles.aside}>
      <section>
        <h2>Where the {ms(visit.waitedMs)} of waiting went</h2>
        <p className="dim">
          {ms(own / 1_000)} more were the visitor’s own; adds up to {ms(whole / 1_000)}
        </p>
        <div className={styles.stripe} aria-hidden="true">
          {visit.account
            .filter(({ kind }) => kind !== 'visitor')
            .map(({ kind, party, us }) => (
              <span
                key={kind + party}
                style={{ width: `${(100 * us) / Math.max(1, whole - own)}%`, background: `var(--p-${kind})` }}
              />
            ))}
        </div>
        <ul className={styles.pairs}>
          {visit.account
            .filter(({ kind }) => kind !== 'visitor')
            .map(({ kind, party, us }) => (
              <li key={kind + party}>
                <i style={{ background: `var(--p-${kind})` }} />
                <span>
                  <b>{kind === 'third' ? party : HOLDER_WORDS[kind as HolderKind].name}</b>{' '}
                  <span className="dim">
                    {kind === 'nothing' ? party : kind === 'third' ? '' : HOLDER_WORDS[kind as HolderKind].what}
                  </span>
                </span>
                <span className="mono">
                  {ms(us / 1_000)} <span className="dim">{formatShare(us / Math.max(1, whole - own))}</span>
                </span>
              </li>
            ))}
        </ul>
      </section>
      {view && (
        <section>
          <h2>
            The load of {view.page} <span className="mono">{ms(view.readyMs)}</span>
          </h2>
          <ul className={styles.pairs}>
            {view.parts.map((part) => (
              <li key={part.from}>
                <i style={{ background: `var(--p-${part.phase})` }} />
                <span>
                  {part.phase === 'third' ? part.party : HOLDER_WORDS[part.phase].name}{' '}
                  <span className="dim">{part.name ? part.name.split('?')[0].split('/').at(-1) : 'the document'}</span>
                </span>
                <span className="mono">{ms((part.to - part.from) / 1_000)}</span>
              </li>
            ))}
          </ul>
          {Object.keys(view.vitals).length > 0 && (
            <p className="dim">
              {Object.entries(view.vitals)
                .map(([name, value]) => `${VITAL_WORDS[name as Vital]} ${vitalText(name as Vital, value)}`)
                .join(' · ')}
            </p>
          )}
          <p className={styles.actions}>
            <button
              type="button"
              onClick={() =>
                void readArchive(scope, visit.session).then((archive) => {
                  saveFile(`${visit.session}.har`, new Blob([JSON.stringify(archive, null, 1)], { type: 'application/json' }));
                  setSaved(true);
                })
              }
            >
              {saved ? 'Saved' : 'Save as HAR'}
            </button>
          </p>
        </section>
      )}
      {answer && (
        <section>
          <h2>
            {answer.operation} <span className="mono">{ms(answer.ms)}</span>
          </h2>
          <div className={styles.stripe} aria-hidden="true">
            {answer.ledger.map(({ party, kind, ns }) => (
              <span key={party + kind} style={{ width: `${ns / (answer.serverMs * 1e4)}%`, background: `var(--t-${kind})` }} />
            ))}
          </div>
          <ul className={styles.pairs}>
            {answer.ledger.slice(0, 5).map(({ party, kind, ns }) => (
              <li key={party + kind}>
                <i style={{ background: `var(--t-${kind})` }} />
                <span>
                  <b>{party}</b> <span className="dim">{KIND_WORDS[kind]}</span>
                </span>
                <span className="mono">{ms(ns / 1e6)}</span>
              </li>
            ))}
            {answer.ms - answer.serverMs > 0.1 && (
              <li>
                <i style={{ background: 'var(--p-network)' }} />
                <span>
                  <b>wire</b> <span className="dim">to the company and back</span>
                </span>
                <span className="mono">{ms(answer.ms - answer.serverMs)}</span>
              </li>
            )}
          </ul>
          <p className={styles.actions}>
            <a data-main="true" href={href(`/traces/${answer.traceId}`)} suppressHydrationWarning>
              Open the trace
            </a>
            <a href={href(`/logs?text=${answer.traceId}`)} suppressHydrationWarning>
              Its log lines
            </a>
          </p>
        </section>
      )}
      {fault && (
        <section>
          <h2>{fault.kind === 'crash' ? 'The crash' : 'The error'}</h2>
          <p>
            <StateGlyph state="failing" word="" /> <b>{fault.name}</b>
          </p>
          {typeof fault.detail.stack === 'string' && fault.detail.stack && (
            <pre className={steps.stack}>{fault.detail.stack}</pre>
          )}
          <p>
            <a href={href(visitorPath('/visitors/versions', { app: visit.app, who: choice.who }))} suppressHydrationWarning>
              In which visits, versions and devices
            </a>
          </p>
        </section>
      )}
      <section>
        <h3>The visitor</h3>
        <ul className={styles.pairs}>
          {[...Object.entries(visit.about).filter(([, value]) => value), ...visit.more].map(([name, value]) => (
            <li key={name}>
              <span className="dim">{name}</span>
              <a
                href={href(
                  visitorPath('/visitors/visits', {
                    app: visit.app,
                    who: withCondition('', { field: name, values: [value], not: false }),
                  }),
                )}
                suppressHydrationWarning
              >
                {value}
              </a>
            </li>
          ))}
          {visit.user && (
            <li>
              <span className="dim">visits of</span>
              <a
                href={href(
                  visitorPath('/visitors/visits', {
                    app: visit.app,
                    who: withCondition('', { field: 'user', values: [visit.user], not: false }),
                  }),
                )}
                suppressHydrationWarning
              >
                {visit.user}
              </a>
            </li>
          )}
        </ul>
      </section>
      <p className="dim">
        What was typed is never sent.{' '}
        {visit.masked > 0
          ? `${visit.masked} things were masked in the page.`
          : 'Names and mails are masked before they are stored.'}{' '}
        <a href={href('/intake/masking')} suppressHydrationWarning>
          rules
        </a>
      </p>
    </div>
  );
}
