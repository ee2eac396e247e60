import type { OneCase } from '../../api/casebook/cases.ts';
import { countedVisits, impactOf, NO_IMPACT } from '../../core/casebook/caseContent.ts';
import { caseText } from '../../core/casebook/doc/caseDoc.ts';
import { impactLine } from '../../core/casebook/impactWords.ts';
import { windowAt } from '../../core/scope/scope.ts';
import { clockTime, dayTime } from '../../core/time/clock.ts';
import { useCase, useCaseSteps } from '../queries/casebook.ts';
import { useScope } from '../state/scopeState.ts';
import { useZone } from '../state/zone.ts';
import styles from './Casebook.module.css';
import { useLiveCase } from './caseSync.ts';
import { figureNumbers } from './figureNumbers.ts';
import { Hypotheses } from './Hypotheses.tsx';
import { LineInput } from './LineInput.tsx';
import { MarkdownLine } from './Markdown.tsx';
import { addEntry, addMark } from './newMember.ts';
import { openCase, usePersonName } from './openCase.ts';
import { PersonName } from './PersonName.tsx';
import { SharedText } from './SharedText.tsx';
import { SyncNote } from './SyncNote.tsx';
import { headlineHere, pageHere } from './usePinning.ts';

const SHOWN_STEPS = 14;

/** What the drawer says of the open case: log, what it could be, marks and trail. */
export function OpenCase({ id }: { id: number }) {
  const found = useCase(id);
  if (found.error)
    return (
      <>
        <h2>Case {id}</h2>
        <p role="alert">{found.error.message}</p>
        <button type="button" className={styles.quiet} onClick={() => openCase(undefined)}>
          leave it
        </button>
      </>
    );
  if (!found.data) return <h2>Case {id} …</h2>;
  return <LiveDrawer first={found.data} />;
}

function LiveDrawer({ first }: { first: OneCase }) {
  const by = usePersonName();
  const live = useLiveCase(first.id, first, by);
  const { scope, href } = useScope();
  const zone = useZone();
  const steps = useCaseSteps(first.id);
  const { content, doc } = live;
  const known = new Set([...first.pins.map((pin) => pin.id), ...content.entries.flatMap(({ pins }) => pins)]);
  const figures = figureNumbers(content, known);
  const impact = impactLine(impactOf(content, first.worked ?? NO_IMPACT), {
    amountOf: content.amountKey,
    visitsOf: countedVisits(content),
  });
  const now = Date.now();
  return (
    <>
      <p className={styles.dim}>
        <a href={href(`/casebook/${first.id}`)}>Case {first.id}</a> · {content.state} · <SyncNote live={live} />
      </p>
      <SharedText
        text={caseText(doc, 'title')}
        value={content.title}
        label="title"
        hint="a title"
        isPlain
        className={styles.drawerTitle}
      />
      {impact !== '' && <p className={styles.dim}>{impact}</p>}
      <LineInput
        label="A note to the log"
        hint="Write to the log …"
        take={(text) => addEntry(live, { at: Date.now(), page: pageHere(), text, by })}
      />
      <ul className={styles.drawerLog}>
        {content.entries.map(({ id, at, page, text, pins }) => (
          <li key={id}>
            <span className="mono dim">{dayTime(at, zone, now)}</span>
            <span>
              <MarkdownLine text={text} />{' '}
              {pins
                .flatMap((pin) => figures.get(pin) ?? [])
                .map((number) => (
                  <a key={number} className={styles.fig} href={`${href(`/casebook/${first.id}`)}#figure-${number}`}>
                    fig. {number}
                  </a>
                ))}
              {page !== '' && <span className={styles.dim}> {page}</span>}
            </span>
          </li>
        ))}
      </ul>
      <h3>What it could be</h3>
      <Hypotheses live={live} figures={figures} isWide={false} />
      <h3>Marks</h3>
      <ul className={styles.plain}>
        {content.marks.map(({ id, at, text }) => (
          <li key={id}>
            <span className="mono dim">{dayTime(at, zone, now)}</span> {text}
          </li>
        ))}
      </ul>
      <LineInput
        label="Mark the beginning of the lit window"
        hint={`Mark ${clockTime(windowAt(scope.lit, now).from, zone)} on the ribbon as …`}
        take={(text) => addMark(live, windowAt(scope.lit, Date.now()).from, text || headlineHere())}
      />
      <h3>Trail</h3>
      <ol className={styles.trail}>
        {(steps.data?.steps ?? []).slice(-SHOWN_STEPS).map((step) => (
          <li key={`${step.at} ${step.path}`}>
            <span className="mono dim">{dayTime(step.at, zone, now)}</span> <a href={step.path}>{step.title}</a>
          </li>
        ))}
      </ol>
      {steps.data?.steps.length === 0 && (
        <p className={styles.dim}>Pages that you look at while the case is open are noted here.</p>
      )}
      <p className={styles.foot}>
        <PersonName />
        <button type="button" className={styles.quiet} onClick={() => openCase(undefined)}>
          leave the case
        </button>
      </p>
    </>
  );
}
