import type { CSSProperties } from 'react';
import type { LitWindow } from '../../core/scope/scope.ts';
import { readTypedWindow } from '../../core/scope/typedWindow.ts';
import { useZone } from '../state/zone.ts';
import { TypedPopover } from '../typing/TypedPopover.tsx';
import styles from './Ribbon.module.css';

const HOUR = 3_600_000;
const PRESETS = [
  { name: '15 min', ms: HOUR / 4 },
  { name: '30 min', ms: HOUR / 2 },
  { name: '1 h', ms: HOUR },
  { name: '3 h', ms: 3 * HOUR },
  { name: '12 h', ms: 12 * HOUR },
  { name: '24 h', ms: 24 * HOUR },
  { name: '7 d', ms: 168 * HOUR },
] as const;

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
  return (
    <div className={styles.words} style={near}>
      <TypedPopover
        button={`lit ${words} · ${length}${follows ? ' · follows the clock' : ''}`}
        title="Type another window"
        label="Light"
        placeholder="14:02 to 14:32"
        take={(typed) => {
          const lit = readTypedWindow(typed, zone, Date.now());
          if (!lit) return 'Not understood: try "14:02 to 14:32" or "last 2 h"';
          onLit(lit);
        }}
        below={(close) => (
          <div className={styles.presets}>
            {PRESETS.map(({ name, ms }) => (
              <button
                key={name}
                type="button"
                onClick={() => {
                  onLit({ type: 'last', ms });
                  close();
                }}
              >
                last {name}
              </button>
            ))}
          </div>
        )}
      />
    </div>
  );
}
