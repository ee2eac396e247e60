import { Popover } from '@mantine/core';
import { type CSSProperties, useState } from 'react';
import type { LitWindow } from '../../core/scope/scope.ts';
import { readTypedWindow } from '../../core/scope/typedWindow.ts';
import { useZone } from '../state/zone.ts';
import styles from './Ribbon.module.css';

const PRESETS = ['15 min', '30 min', '1 h', '3 h', '12 h', '24 h', '7 d'] as const;

interface WindowMenuProps {
  readonly words: string;
  readonly length: string;
  /** Whether the window ends now and goes on with the clock. */
  readonly follows: boolean;
  readonly near: CSSProperties;
  readonly onLit: (lit: LitWindow) => void;
}

/** The lit window in words; opens into presets and a line to type it. */
export function WindowMenu({ words, length, follows, near, onLit }: WindowMenuProps) {
  const zone = useZone();
  const [open, setOpen] = useState(false);
  const [text, setText] = useState('');
  const [error, setError] = useState('');
  const take = (typed: string) => {
    const lit = readTypedWindow(typed.replace('7 d', '168 h'), zone, Date.now());
    if (!lit) {
      setError('Not understood: try "14:02 to 14:32" or "last 2 h"');
      return;
    }
    onLit(lit);
    setText('');
    setError('');
    setOpen(false);
  };
  return (
    <div className={styles.words} style={near}>
      <Popover opened={open} onChange={setOpen} position="bottom" shadow="md" trapFocus withinPortal={false}>
        <Popover.Target>
          <button
            type="button"
            aria-expanded={open}
            title="Type another window"
            onClick={() => setOpen(!open)}
            suppressHydrationWarning
          >
            lit {words} · {length}
            {follows ? ' · follows the clock' : ''}
          </button>
        </Popover.Target>
        <Popover.Dropdown>
          <form
            className={styles.form}
            onSubmit={(event) => {
              event.preventDefault();
              take(text);
            }}
          >
            <label>
              Light
              <input
                data-autofocus
                className={styles.input}
                value={text}
                placeholder="14:02 to 14:32"
                onChange={(event) => {
                  setText(event.target.value);
                  setError('');
                }}
              />
            </label>
            {error && <p role="alert">{error}</p>}
            <div className={styles.presets}>
              {PRESETS.map((preset) => (
                <button key={preset} type="button" onClick={() => take(`last ${preset}`)}>
                  last {preset}
                </button>
              ))}
            </div>
          </form>
        </Popover.Dropdown>
      </Popover>
    </div>
  );
}
