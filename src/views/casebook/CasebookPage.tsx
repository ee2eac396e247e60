import { useDebouncedValue } from '@mantine/hooks';
import { useRef, useState } from 'react';
import type { CaseList } from '../../api/casebook/cases.ts';
import type { RequestSeries } from '../../api/requests/series.ts';
import { impactLine } from '../../core/casebook/impactWords.ts';
import { dayTime } from '../../core/time/clock.ts';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import styles from '../../ui/casebook/Casebook.module.css';
import { openCase, useOpenCase, usePersonName } from '../../ui/casebook/openCase.ts';
import { PersonName } from '../../ui/casebook/PersonName.tsx';
import { usePinning } from '../../ui/casebook/usePinning.ts';
import { Emptiness } from '../../ui/empty/Emptiness.tsx';
import { Frame } from '../../ui/frame/Frame.tsx';
import type { IslandStart } from '../../ui/islands/Island.tsx';
import { useCases, useDeleteCase, useImportCase } from '../../ui/queries/casebook.ts';
import { useScope } from '../../ui/state/scopeState.ts';
import { useZone } from '../../ui/state/zone.ts';
import page from './Case.module.css';
import { casesSentence, spanOfCase } from './words.ts';

export interface CasebookFirst {
  readonly series?: RequestSeries;
  readonly cases?: CaseList;
}

/** All cases, and those that were deleted within a day. */
export function CasebookPage({ start, first }: { start: IslandStart; first: CasebookFirst }) {
  const [text, setText] = useState('');
  const [sought] = useDebouncedValue(text, 250);
  const found = useCases({ text: sought });
  const { href } = useScope();
  const list = found.data ?? first.cases;
  const { beginHere, isBusy } = usePinning();
  const [trouble, setTrouble] = useState('');
  const begin = async () => {
    try {
      const { id } = await beginHere({ title: '', since: null, where: '' });
      location.assign(href(`/casebook/${id}`));
    } catch (error) {
      setTrouble((error as Error).message);
    }
  };
  return (
    <Frame
      series={{ data: first.series, scope: start.scope }}
      now={start.now}
      busy={found.isFetching && !list}
      trouble={list ? found.error : null}
      inspectorLabel="Casebook"
      inspector={<Aside deleted={list?.deleted ?? []} />}
    >
      <header className={page.listHead}>
        <h1>{list ? casesSentence(sought === '' ? list.cases : (first.cases ?? list).cases) : 'Looking …'}</h1>
        <input
          className={page.search}
          aria-label="Find in cases"
          placeholder="find in cases"
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <OnlyFor least="responder">
          <button type="button" className={styles.main} disabled={isBusy} onClick={() => void begin()}>
            Begin a case
          </button>
        </OnlyFor>
      </header>
      {trouble !== '' && <p role="alert">{trouble}</p>}
      {!list && found.error && (
        <Emptiness
          title="This could not be asked"
          words={found.error.message}
          actions={[{ label: 'Try again', act: () => void found.refetch() }]}
        />
      )}
      {list?.cases.length === 0 && (
        <Emptiness
          title={sought === '' ? 'Nothing is kept yet' : 'No case says that'}
          words={
            sought === ''
              ? 'A case keeps what you find so that another team need not start again. Press p on any page to pin what it shows, or begin one from an incident.'
              : `Nobody wrote "${sought}" in a case.`
          }
          actions={
            sought === ''
              ? [{ label: 'See incidents', act: () => location.assign(href('/now/incidents')) }]
              : [{ label: 'Show all', act: () => setText('') }]
          }
        />
      )}
      {list && list.cases.length > 0 && <Rows cases={list.cases} now={start.now} />}
    </Frame>
  );
}

function Rows({ cases, now }: { cases: CaseList['cases']; now: number }) {
  const { href } = useScope();
  const zone = useZone();
  const open = useOpenCase();
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
    <ul className={page.cases} tabIndex={0} aria-label="Cases">
      {cases.map((it) => (
        <li key={it.id} data-state={it.state}>
          <span className={page.number}>{it.id}</span>
          <div>
            <a href={href(`/casebook/${it.id}`)} suppressHydrationWarning>
              {it.title}
            </a>
            <p className={styles.dim}>
              {[
                it.state,
                spanOfCase(it.since, it.until, zone, now),
                it.impact ? impactLine(it.impact, { amountOf: 'booking value', visitsOf: it.visitsOf }) : '',
                it.keptBy === '' ? '' : `kept by ${it.keptBy}`,
                it.team === '' ? '' : `to ${it.team}`,
              ]
                .filter((words) => words !== '')
                .join(' · ')}
            </p>
          </div>
          <span className={styles.dim} suppressHydrationWarning>
            {it.entries} {it.entries === 1 ? 'entry' : 'entries'} · changed {dayTime(it.changed, zone, now)}
          </span>
          <OnlyFor least="responder">
            <button
              type="button"
              className={styles.quiet}
              aria-pressed={open === it.id}
              onClick={() => openCase(open === it.id ? undefined : it.id)}
            >
              {open === it.id ? 'open here' : 'work on it'}
            </button>
          </OnlyFor>
        </li>
      ))}
    </ul>
  );
}

function Aside({ deleted }: { deleted: CaseList['deleted'] }) {
  const by = usePersonName();
  const file = useRef<HTMLInputElement>(null);
  const read = useImportCase();
  const restore = useDeleteCase();
  const { href } = useScope();
  const take = async (chosen: File | undefined) => {
    if (!chosen) return;
    const text = await chosen.text();
    let content: unknown;
    try {
      content = JSON.parse(text);
    } catch {
      content = null;
    }
    const made = await read.mutateAsync({ by, file: content });
    location.assign(href(`/casebook/${made.id}`));
  };
  return (
    <div className={page.aside}>
      <h2>Casebook</h2>
      <p className={styles.dim}>
        <PersonName />
      </p>
      <p className={styles.dim}>Pins are frozen copies: they stay when their data is no longer stored.</p>
      <input
        ref={file}
        type="file"
        accept=".json,application/json"
        hidden
        aria-label="A case as a file"
        onChange={(event) => void take(event.target.files?.[0]).catch(() => {})}
      />
      <OnlyFor least="responder">
        <button type="button" className={styles.quiet} onClick={() => file.current?.click()}>
          read a case from a file
        </button>
      </OnlyFor>
      {read.error && <p role="alert">{read.error.message}</p>}
      {deleted.length > 0 && (
        <>
          <h3>Deleted within a day</h3>
          <ul className={styles.plain}>
            {deleted.map((it) => (
              <li key={it.id}>
                {it.id} · {it.title}{' '}
                <OnlyFor least="responder">
                  <button type="button" className={styles.quiet} onClick={() => restore.mutate({ id: it.id, deleted: false })}>
                    take back<span className="unseen"> case {it.id}</span>
                  </button>
                </OnlyFor>
              </li>
            ))}
          </ul>
        </>
      )}
    </div>
  );
}
