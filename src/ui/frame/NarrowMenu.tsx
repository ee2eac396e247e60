import { useState } from 'react';
import type { FieldList } from '../../api/fields/list.ts';
import { formatCount } from '../../core/measures/amount.ts';
import { withValueTurned } from '../../core/scope/scope.ts';
import { readTypedChip } from '../../core/scope/typedChip.ts';
import { useFields } from '../queries/fields.ts';
import { useScope } from '../state/scopeState.ts';
import { TypedPopover } from '../typing/TypedPopover.tsx';
import styles from './NarrowMenu.module.css';

/** "+ narrow": fields and values of the present scope with their counts; typing finds both, or says a condition. */
export function NarrowMenu() {
  const { scope, change } = useScope();
  const [opened, setOpened] = useState(false);
  const [typed, setTyped] = useState('');
  const offered = useFields(scope, opened);
  return (
    <TypedPopover
      button="+ narrow"
      buttonClass={styles.add}
      label="Narrow to"
      placeholder="coach, berths, duration over 3s"
      wide
      onOpen={setOpened}
      onType={setTyped}
      take={(text) => {
        const next = readTypedChip(scope, text);
        if (typeof next === 'string') return next;
        change(next);
      }}
      below={(close) => (
        <>
          <p className={styles.hint}>
            a service, an entry such as <kbd>POST /holds</kbd>, <kbd>&gt; 3s</kbd>, <kbd>failed</kbd>, <kbd>fine</kbd>, or a
            condition such as <kbd>ferry.party_size over 4</kbd>
          </p>
          <Offered
            list={offered.data}
            error={offered.error}
            typed={typed}
            pick={(field, value) => {
              change(withValueTurned(scope, field, value));
              close();
            }}
          />
        </>
      )}
    />
  );
}

interface OfferedProps {
  readonly list: FieldList | undefined;
  readonly error: Error | null;
  readonly typed: string;
  readonly pick: (field: string, value: string) => void;
}

function Offered({ list, error, typed, pick }: OfferedProps) {
  if (error) return <p className={styles.hint}>{error.message}</p>;
  if (!list) return <p className={styles.hint}>Counting …</p>;
  const sought = typed.trim().toLowerCase();
  const found = list.fields.flatMap(({ field, values, distinct, many }) => {
    const all = field.toLowerCase().includes(sought);
    const fitting = all ? values : values.filter(({ value }) => value.toLowerCase().includes(sought));
    return fitting.length > 0 ? [{ field, values: fitting, more: distinct - values.length, many }] : [];
  });
  if (list.fields.length === 0) return <p className={styles.hint}>No attributes recorded in this window.</p>;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region has to be reachable by keyboard
    <div className={styles.offered} tabIndex={0} role="group" aria-label="Fields and values">
      {found.map(({ field, values, more, many }) => (
        <section key={field}>
          <h3 className="mono">{field}</h3>
          {many ? (
            <p className={styles.hint}>
              a value a request: type <kbd>{field} is …</kbd>
            </p>
          ) : (
            values.map(({ value, count }) => (
              <button key={value} type="button" onClick={() => pick(field, value)}>
                <span>{value === '' ? '(empty)' : value}</span>
                <span className="mono dim">{formatCount(count)}</span>
              </button>
            ))
          )}
          {!many && more > 0 && <p className={styles.hint}>{more} more, type to say which</p>}
        </section>
      ))}
      {found.length === 0 && <p className={styles.hint}>No match. Press Enter to use your text as typed.</p>}
    </div>
  );
}
