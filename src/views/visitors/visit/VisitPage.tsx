import { useState } from 'react';
import { clockTime, dayOf } from '../../../core/time/clock.ts';
import { HOLDERS, type HolderKind } from '../../../core/visits/account.ts';
import { storyOf } from '../../../core/visits/story.ts';
import { visitSentence } from '../../../core/visits/words.ts';
import { usePinnables } from '../../../ui/casebook/pinnables.ts';
import type { IslandStart } from '../../../ui/islands/Island.tsx';
import { usePageKeys } from '../../../ui/keys/pageKeys.ts';
import { useVisit } from '../../../ui/queries/visitors.ts';
import { useScope } from '../../../ui/state/scopeState.ts';
import { usePageOptions } from '../../../ui/state/usePageOptions.ts';
import { useZone } from '../../../ui/state/zone.ts';
import { type VisitorsFirst, VisitorsFrame } from '../VisitorsFrame.tsx';
import { VISITORS_OPTIONS } from '../visitorsOptions.ts';
import styles from './Visit.module.css';
import { VisitAside } from './VisitAside.tsx';
import { VisitPicture } from './VisitPicture.tsx';
import { VisitSummary } from './VisitSummary.tsx';

/** What one person saw and did, and who held them up. */
export function VisitPage({ start, first, session }: { start: IslandStart; first: VisitorsFirst; session: string }) {
  const { scope } = useScope();
  const zone = useZone();
  const [options, setOptions] = usePageOptions(first.options, VISITORS_OPTIONS);
  const found = useVisit(scope, session);
  const visit = found.data;
  const story = visit ? storyOf(visit) : [];
  usePinnables([visit && { kind: 'visit', what: 'this visit', of: 'lit', query: { session } }]);
  const [at, setAt] = useState(0);
  const walk = (by: number) => setAt((now) => Math.min(story.length - 1, Math.max(0, now + by)));
  usePageKeys([
    ['j', () => walk(1)],
    ['k', () => walk(-1)],
    ['Escape', () => history.back()],
  ]);
  const crash = visit?.events.find(({ kind }) => kind === 'crash');
  const last = visit?.held.findLast(({ kind }) => kind !== 'visitor');
  const gaveUp = visit && last?.party === 'no answer' && last.to >= (visit.to - visit.from) * 1_000 - 1_000 ? last.name : '';
  return (
    <VisitorsFrame
      start={start}
      first={first}
      here="/visitors/visits"
      options={options}
      setOptions={(part) => setOptions(part)}
      found={found}
      answer={visit && { apps: [], app: '' }}
      headline={visit ? visitSentence({ ...visit, crashed: crash !== undefined, gaveUpAt: gaveUp }) : ''}
      empty={false}
      inspectorLabel="Where the time went"
      inspector={visit && <VisitAside visit={visit} chosen={story[at]} choice={options} />}
    >
      {visit && (
        <div className={styles.visit}>
          <p className="dim">
            {[visit.about.region, visit.about.browser, visit.about.device, `${visit.app} ${visit.about.version}`]
              .filter(Boolean)
              .join(' · ')}{' '}
            · session <span className="mono">{visit.session}</span> · {dayOf(visit.from, zone)}{' '}
            {clockTime(visit.from, zone, true)}
          </p>
          <VisitSummary visit={visit} />
          {/* biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls, by keyboard too */}
          <div className={styles.down} role="region" aria-label="The visit, from top to bottom" tabIndex={0}>
            <VisitPicture visit={visit} story={story} at={at} choose={setAt} />
          </div>
          <p className={styles.legend}>
            {HOLDERS.filter((kind) => visit.held.some((it) => it.kind === kind)).map((kind: HolderKind) => (
              <span key={kind}>
                <i style={{ background: `var(--p-${kind})` }} /> {HOLDER_NAMES[kind]}
              </span>
            ))}
          </p>
        </div>
      )}
    </VisitorsFrame>
  );
}

const HOLDER_NAMES: Readonly<Record<HolderKind, string>> = {
  network: 'network',
  server: 'server',
  download: 'download',
  third: 'third party',
  browser: 'browser',
  answer: 'company answers',
  nothing: 'nothing comes',
  visitor: 'the visitor’s own time',
};
