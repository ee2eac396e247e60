import { Popover } from '@mantine/core';
import { useState } from 'react';
import { withChip, withDurations } from '../../core/scope/scope.ts';
import { parseDuration } from '../../core/time/duration.ts';
import { useScope } from '../state/scopeState.ts';
import styles from './NarrowMenu.module.css';

/** "+ narrow": adds a chip by hand. What is offered by count stands beside the list; here one types. */
export function NarrowMenu() {
  const { scope, change } = useScope();
  const [open, setOpen] = useState(false);
  const [text, setText] = useState('');
  const [error, setError] = useState('');

  const add = (): void => {
    const typed = text.trim();
    const compared = /^([<>])\s*(.+)$/.exec(typed);
    const ns = parseDuration(compared?.[2] ?? typed);
    if (typed === '') return;
    if (compared) {
      if (ns === undefined) {
        setError(`"${compared[2]}" is no duration: try 3s or 250ms`);
        return;
      }
      change(compared[1] === '>' ? withDurations(scope, ns, mostOf()) : withDurations(scope, leastOf(), ns));
    } else if (typed === 'failed' || typed === 'fine') change(withChip(scope, 'failed', typed === 'failed' ? 'yes' : 'no'));
    else change(withChip(scope, /^[A-Z]+ \//.test(typed) ? 'entry' : 'service', typed));
    setText('');
    setError('');
    setOpen(false);
  };
  const bound = (field: 'slower' | 'faster') => {
    const chip = scope.chips.find((it) => it.field === field);
    return chip && parseDuration(chip.value);
  };
  const leastOf = () => bound('slower');
  const mostOf = () => bound('faster');

  return (
    <Popover opened={open} onChange={setOpen} position="bottom-start" shadow="md" trapFocus withinPortal={false}>
      <Popover.Target>
        <button type="button" className={styles.add} aria-expanded={open} onClick={() => setOpen(!open)}>
          + narrow
        </button>
      </Popover.Target>
      <Popover.Dropdown>
        <form
          className={styles.form}
          onSubmit={(event) => {
            event.preventDefault();
            add();
          }}
        >
          <label>
            Narrow to
            <input
              data-autofocus
              className={styles.input}
              value={text}
              onChange={(event) => {
                setText(event.target.value);
                setError('');
              }}
              placeholder="berths"
            />
          </label>
          {error && <p role="alert">{error}</p>}
          <p className="dim">
            a service, an entry such as <kbd>POST /holds</kbd>, <kbd>&gt; 3s</kbd>, <kbd>&lt; 250ms</kbd>, <kbd>failed</kbd> or{' '}
            <kbd>fine</kbd>
          </p>
        </form>
      </Popover.Dropdown>
    </Popover>
  );
}
