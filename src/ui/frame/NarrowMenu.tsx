import { readTypedChip } from '../../core/scope/typedChip.ts';
import { useScope } from '../state/scopeState.ts';
import { TypedPopover } from '../typing/TypedPopover.tsx';
import styles from './NarrowMenu.module.css';

/** "+ narrow": adds a chip by hand. What is offered by count stands beside the list; here one types. */
export function NarrowMenu() {
  const { scope, change } = useScope();
  return (
    <TypedPopover
      button="+ narrow"
      buttonClass={styles.add}
      label="Narrow to"
      placeholder="berths"
      take={(typed) => {
        const next = readTypedChip(scope, typed);
        if (typeof next === 'string') return next;
        change(next);
      }}
      below={() => (
        <p className={styles.hint}>
          a service, an entry such as <kbd>POST /holds</kbd>, <kbd>&gt; 3s</kbd>, <kbd>&lt; 250ms</kbd>, <kbd>failed</kbd> or{' '}
          <kbd>fine</kbd>
        </p>
      )}
    />
  );
}
