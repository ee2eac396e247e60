import type { NoteAnswer } from '../../api/notes/notes.ts';
import { countWords } from '../../core/measures/amount.ts';
import { type LitWindow, windowAt } from '../../core/scope/scope.ts';
import { dayTime } from '../../core/time/clock.ts';
import { usePersonName } from '../casebook/openCase.ts';
import { useDropNote, useWriteNote } from '../queries/notes.ts';
import { addressHere, useScope } from '../state/scopeState.ts';
import { useMay } from '../state/who.ts';
import { useZone } from '../state/zone.ts';
import { TypedPopover } from '../typing/TypedPopover.tsx';
import { noteAsTyped } from './noteAsTyped.ts';
import styles from './Ribbon.module.css';

interface NoteMenuProps {
  readonly notes: readonly NoteAnswer[];
  readonly now: number;
  readonly onLit: (lit: LitWindow) => void;
}

const LONGEST = 300;

/** Notes on the axis of time: what is noted, and a line for another. */
export function NoteMenu({ notes, now, onLit }: NoteMenuProps) {
  const { scope } = useScope();
  const zone = useZone();
  const by = usePersonName();
  const mayWrite = useMay('responder');
  const write = useWriteNote();
  const drop = useDropNote();
  if (!mayWrite && notes.length === 0) return null;
  // In a window that follows the clock one notes what is now, in another what one looks at.
  const here = () => (scope.lit.type === 'fixed' ? windowAt(scope.lit, Date.now()).from : Date.now());
  const take = (typed: string): string | undefined => {
    if (!mayWrite) return 'Notes are written by responders';
    const note = noteAsTyped(typed, here(), zone, Date.now());
    if (note.text.length > LONGEST) return `A note has ${LONGEST} characters at most`;
    const held = { ...scope, lit: { type: 'fixed' as const, ...windowAt(scope.lit, Date.now()) } };
    write.mutate({ ...note, path: addressHere(held), by });
    return undefined;
  };
  return (
    <div className={styles.notes}>
      <TypedPopover
        button={notes.length > 0 ? countWords(notes.length, 'note') : '+ note'}
        label={mayWrite ? 'Note for all to see' : 'Notes'}
        placeholder="13:40 pool set back to 10"
        wide
        take={take}
        below={(close) => (
          <>
            {mayWrite && (
              <p className={styles.hint}>
                It stands {scope.lit.type === 'fixed' ? 'where the lit window begins' : 'at this moment'}, or at the time that it
                begins with.
              </p>
            )}
            {notes.length > 0 && (
              // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
              <div className={styles.listed} tabIndex={0} role="group" aria-label="Notes">
                {[...notes].reverse().map((it) => (
                  <div key={it.id} className={styles.note}>
                    <button
                      type="button"
                      onClick={() => {
                        onLit({ type: 'fixed', from: it.at - 15 * 60_000, to: it.at + 15 * 60_000 });
                        close();
                      }}
                    >
                      <span className="mono dim">{dayTime(it.at, zone, now)}</span> {it.text}
                      {it.by && <span className="dim"> {it.by}</span>}
                    </button>
                    <a href={it.path} aria-label={`open the page of “${it.text}”`}>
                      page
                    </a>
                    {mayWrite && (
                      <button type="button" aria-label={`remove “${it.text}”`} onClick={() => drop.mutate(it.id)}>
                        ×
                      </button>
                    )}
                  </div>
                ))}
              </div>
            )}
          </>
        )}
      />
      {(write.error ?? drop.error) && (
        <span role="alert" className={styles.refused}>
          {(write.error ?? drop.error)?.message}
        </span>
      )}
    </div>
  );
}
