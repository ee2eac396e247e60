import { useEffect, useMemo, useRef, useState } from 'react';
import type { OneCase } from '../../api/casebook/cases.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { caseText } from '../../core/casebook/doc/caseDoc.ts';
import { ChangedBy } from '../../ui/access/ChangedBy.tsx';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import styles from '../../ui/casebook/Casebook.module.css';
import { useLiveCase } from '../../ui/casebook/caseSync.ts';
import { figureNumbers } from '../../ui/casebook/figureNumbers.ts';
import { Hypotheses } from '../../ui/casebook/Hypotheses.tsx';
import { LineInput } from '../../ui/casebook/LineInput.tsx';
import { addEntry } from '../../ui/casebook/newMember.ts';
import { openCase, usePersonName } from '../../ui/casebook/openCase.ts';
import { SharedText } from '../../ui/casebook/SharedText.tsx';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { usePageKeys } from '../../ui/keys/pageKeys.ts';
import { useCase, useCasePins, useDeleteCase } from '../../ui/queries/casebook.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useMay } from '../../ui/state/who.ts';
import page from './Case.module.css';
import { CaseHead } from './CaseHead.tsx';
import { CaseLog } from './CaseLog.tsx';
import { HandOverPanel } from './HandOverPanel.tsx';
import { ImpactStrip } from './ImpactStrip.tsx';
import { Similar } from './Similar.tsx';
import { Trail } from './Trail.tsx';

export interface CaseFirst {
  readonly id: number;
  readonly series?: RequestSeries;
  readonly case?: OneCase;
}

/** A case: what happened, with what proof, and what is handed over. */
export function CasePage({ start, first }: { start: IslandStart; first: CaseFirst }) {
  const found = useCase(first.id, first.case);
  const { href } = useScope();
  if (found.data) return <OpenCase start={start} series={first.series} first={found.data} />;
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching}
      trouble={null}
      inspectorLabel="Hand over"
      inspector={null}
    >
      <h1>Case {first.id}</h1>
      {found.error && (
        <Emptiness
          title="This case cannot be shown"
          words={found.error.message}
          actions={[
            { label: 'See all cases', act: () => location.assign(href('/casebook')) },
            { label: 'Try again', act: () => void found.refetch() },
          ]}
        />
      )}
    </Frame>
  );
}

function OpenCase({ start, series, first }: { start: IslandStart; series: RequestSeries | undefined; first: OneCase }) {
  const by = usePersonName();
  const live = useLiveCase(first.id, first, by);
  const pins = useCasePins(first.id, live.pins, first.pins);
  const restore = useDeleteCase();
  const [isWriting, setWriting] = useState(false);
  const write = useRef<HTMLDivElement>(null);
  const { content, doc, undo } = live;
  const known = useMemo(() => new Map((pins.data?.pins ?? first.pins).map((pin) => [pin.id, pin])), [pins.data, first.pins]);
  const figures = useMemo(() => figureNumbers(content, new Set(known.keys())), [content, known]);
  usePageKeys([
    ['w', () => write.current?.querySelector('input')?.focus()],
    ['u', () => undo.undo()],
  ]);
  // Who opens a case works on it: pins and steps go to it from then on.
  const may = useMay('responder');
  useEffect(() => {
    if (may) openCase(first.id);
  }, [first.id, may]);
  useEffect(() => {
    document.title = `${content.title || `Case ${first.id}`} · Dusk Lantern`;
  }, [content.title, first.id]);
  return (
    <Frame
      series={{ data: series, scope: start.scope }}
      now={start.now}
      busy={pins.isFetching}
      trouble={null}
      inspectorLabel="Hand over"
      inspector={<HandOverPanel live={live} figures={figures} pins={known} />}
    >
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard */}
      <article className={page.case} tabIndex={0} aria-label={`Case ${first.id}`}>
        {live.isDeleted && (
          <p className={page.deleted} role="status">
            This case was deleted. Nothing can be changed until that is taken back.{' '}
            <OnlyFor least="responder">
              <button type="button" className={styles.quiet} onClick={() => restore.mutate({ id: first.id, deleted: false })}>
                take it back
              </button>
            </OnlyFor>
          </p>
        )}
        <CaseHead live={live} first={first} now={start.now} />
        <ChangedBy least="responder">
          <ImpactStrip live={live} first={first} now={start.now} />
        </ChangedBy>
        <CaseLog live={live} pins={known} figures={figures} now={start.now} />
        <div ref={write}>
          <LineInput
            label="An entry of the log"
            hint="Write what you see, or what was done (w)"
            take={(text) => addEntry(live, { at: Date.now(), page: '', text, by })}
          />
        </div>
        <h2 className={page.section}>What it could have been</h2>
        <Hypotheses live={live} figures={figures} isWide />
        <h2 className={page.section}>Notes</h2>
        <SharedText text={caseText(doc, 'notes')} value={content.notes} label="notes" hint="Notes, in Markdown" isLong />
        <h2 className={page.section}>What helped</h2>
        <SharedText
          text={caseText(doc, 'helped')}
          value={content.helped}
          label="what helped"
          hint="What ended it; the next who has the like will see this"
        />
        <Similar id={first.id} />
        <Trail id={first.id} by={by} isShown={isWriting} show={setWriting} />
      </article>
    </Frame>
  );
}
