import { useState } from 'react';
import type { OwnCode } from '../../api/code/ownCode.ts';
import { ChangedBy } from '../../ui/access/ChangedBy.tsx';
import { useOwnCode, useSetOwnCode } from '../../ui/queries/code.ts';
import styles from './running/Running.module.css';

/** The rules by which frames are own code or a library, to be edited. */
export function OwnRules() {
  const rules = useOwnCode();
  const set = useSetOwnCode();
  const [draft, setDraft] = useState<OwnCode>();
  const shown = draft ?? rules.data;
  if (!shown) return null;
  const lines = (text: string) =>
    text
      .split('\n')
      .map((it) => it.trim())
      .filter((it) => it !== '');
  return (
    <details className={styles.rules}>
      <summary>
        What counts as own code
        {shown.own.length + shown.library.length > 0 && ` (${shown.own.length + shown.library.length} rules)`}
      </summary>
      <p className="dim">
        Told by itself for Node.js, the JVM, Python and Go. Rules name the beginning of a function or a file, one a line; * stands
        for anything. Rules for own code go first.
      </p>
      <ChangedBy least="responder" words="They are set by responders and administrators.">
        <div>
          {(['own', 'library'] as const).map((kind) => (
            <label key={kind}>
              {kind === 'own' ? 'own code' : 'libraries'}
              <textarea
                rows={3}
                value={(draft ?? shown)[kind].join('\n')}
                onChange={(event) => setDraft({ ...shown, [kind]: event.target.value.split('\n') })}
              />
            </label>
          ))}
        </div>
        <p className={styles.actions}>
          <button
            type="button"
            disabled={!draft || set.isPending}
            onClick={() =>
              draft &&
              set.mutate(
                { own: lines(draft.own.join('\n')), library: lines(draft.library.join('\n')) },
                { onSuccess: () => setDraft(undefined) },
              )
            }
          >
            Keep these rules
          </button>
          {draft && (
            <button type="button" onClick={() => setDraft(undefined)}>
              Leave them as they were
            </button>
          )}
          {set.error && <span role="alert">{set.error.message}</span>}
        </p>
      </ChangedBy>
    </details>
  );
}
