import { Modal } from '@mantine/core';
import { useEffect, useState } from 'react';
import type { JourneyList } from '../../api/journeys/journeys.ts';
import { ChangedBy } from '../../ui/access/ChangedBy.tsx';
import { OnlyFor } from '../../ui/access/OnlyFor.tsx';
import { useJourneys, useSetJourneys } from '../../ui/queries/now.ts';
import formEnd from '../../ui/typing/FormEnd.module.css';
import styles from './JourneyEditor.module.css';

interface Draft {
  readonly key: number;
  readonly name: string;
  readonly entries: string;
  readonly within: string;
  readonly share: string;
}

/** Names journeys by their entries, and what is promised of each. Nothing is lost by closing: it is kept when saved. */
export function JourneyEditor({ close, known }: { close: () => void; known: readonly string[] }) {
  const journeys = useJourneys();
  const save = useSetJourneys();
  const [drafts, setDrafts] = useState<readonly Draft[]>();
  const [wrong, setWrong] = useState<string>();
  useEffect(() => {
    if (journeys.data && !drafts) setDrafts(journeys.data.journeys.map(asDraft));
  }, [journeys.data, drafts]);
  const put = (key: number, change: Partial<Draft>) => {
    setWrong(undefined);
    setDrafts(drafts?.map((it) => (it.key === key ? { ...it, ...change } : it)));
  };
  const taken = new Set(drafts?.flatMap((it) => entriesOf(it)));
  const free = [...new Set(known)].filter((it) => !taken.has(it));
  const submit = () => {
    const read = (drafts ?? []).map(asJourney);
    const failure = read.find((it) => typeof it === 'string');
    if (typeof failure === 'string') {
      setWrong(failure);
      return;
    }
    save.mutate(read as JourneyList['journeys'], { onSuccess: close });
  };
  return (
    <Modal opened onClose={close} title="Journeys and objectives" size="xl" centered closeButtonProps={{ 'aria-label': 'Close' }}>
      <form
        className={styles.form}
        onSubmit={(event) => {
          event.preventDefault();
          submit();
        }}
      >
        <p className="dim">
          A journey is what people come to do: the entry operations by which it comes in. An objective says which share of its
          requests must be good, and within which time.
        </p>
        <ChangedBy least="responder" words="They are set by responders and administrators.">
          <div className={styles.table} role="group" aria-label="Journeys">
            <span>Name</span>
            <span>Entries, comma between</span>
            <span>Within, ms</span>
            <span>Good, %</span>
            <span />
            {drafts?.map((it, at) => (
              <Line
                key={it.key}
                draft={it}
                at={at + 1}
                put={(change) => put(it.key, change)}
                drop={() => setDrafts(drafts.filter((other) => other !== it))}
              />
            ))}
          </div>
          {free.length > 0 && (
            <p className={styles.free}>
              <span className="dim">Entries of no journey:</span>
              {free.map((it) => (
                <button
                  key={it}
                  type="button"
                  className="mono"
                  onClick={() =>
                    setDrafts([...(drafts ?? []), { key: Date.now(), name: it, entries: it, within: '', share: '' }])
                  }
                >
                  {it}
                </button>
              ))}
            </p>
          )}
        </ChangedBy>
        {(wrong ?? save.error) && <p role="alert">{wrong ?? save.error?.message}</p>}
        <div className={formEnd.end}>
          <button type="button" onClick={close}>
            Leave as it was
          </button>
          <OnlyFor least="responder">
            <button type="submit" className={formEnd.save} disabled={save.isPending}>
              Save
            </button>
          </OnlyFor>
        </div>
      </form>
    </Modal>
  );
}

function Line({ draft, at, put, drop }: { draft: Draft; at: number; put: (change: Partial<Draft>) => void; drop: () => void }) {
  return (
    <>
      <input aria-label={`Name of journey ${at}`} value={draft.name} onChange={(event) => put({ name: event.target.value })} />
      <input
        className="mono"
        aria-label={`Entries of journey ${at}`}
        value={draft.entries}
        onChange={(event) => put({ entries: event.target.value })}
      />
      <input
        className="mono"
        aria-label={`Within, of journey ${at}`}
        inputMode="decimal"
        value={draft.within}
        placeholder="any"
        onChange={(event) => put({ within: event.target.value })}
      />
      <input
        className="mono"
        aria-label={`Good share of journey ${at}`}
        inputMode="decimal"
        value={draft.share}
        placeholder="none"
        onChange={(event) => put({ share: event.target.value })}
      />
      <button type="button" aria-label={`Drop journey ${draft.name}`} onClick={drop}>
        drop
      </button>
    </>
  );
}

type Named = JourneyList['journeys'][number];

function asDraft({ name, entries, objective }: Named, key: number): Draft {
  return {
    key,
    name,
    entries: entries.join(', '),
    within: objective?.withinMs === undefined ? '' : String(objective.withinMs),
    share: objective ? String(Number((objective.share * 100).toFixed(4))) : '',
  };
}

function entriesOf({ entries }: Draft): string[] {
  return entries
    .split(',')
    .map((it) => it.trim())
    .filter((it) => it !== '');
}

function asJourney(draft: Draft): Named | string {
  const name = draft.name.trim();
  const entries = entriesOf(draft);
  if (name === '') return 'A journey has no name';
  if (entries.length === 0) return `${name} has no entry`;
  if (draft.share.trim() === '') return draft.within.trim() === '' ? { name, entries } : `${name}: say which share must be good`;
  const share = Number(draft.share) / 100;
  const withinMs = draft.within.trim() === '' ? undefined : Number(draft.within);
  if (!(share > 0 && share <= 0.99999)) return `${name}: "${draft.share}" is no share between 0 and 99.999 %`;
  if (withinMs !== undefined && !(withinMs > 0)) return `${name}: "${draft.within}" is no number of milliseconds`;
  return { name, entries, objective: { share, ...(withinMs === undefined ? {} : { withinMs }) } };
}
