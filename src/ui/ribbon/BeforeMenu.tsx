import { BEFORE_CHOICES, BEFORE_WORDS, type BeforeWindow } from '../../core/scope/before.ts';
import { windowAt } from '../../core/scope/scope.ts';
import { readTypedWindow } from '../../core/scope/typedWindow.ts';
import { useZone } from '../state/zone.ts';
import { TypedPopover } from '../typing/TypedPopover.tsx';
import styles from './Ribbon.module.css';

interface BeforeMenuProps {
  readonly before: BeforeWindow;
  /** Where it lies, in words, when that is known. */
  readonly range: string | undefined;
  /** Pixels from the left. */
  readonly near: number;
  readonly onBefore: (before: BeforeWindow) => void;
}

/** The before window in words; opens into the usual choices and a line to type one's own. */
export function BeforeMenu({ before, range, near, onBefore }: BeforeMenuProps) {
  const zone = useZone();
  return (
    <div className={styles.beforeWords} style={{ left: near }}>
      <TypedPopover
        button={`before: ${BEFORE_WORDS[before.type]}${range ? ` ${range}` : ''}`}
        title="Hold it against another window (b)"
        label="Hold against"
        placeholder="09:02 to 09:32"
        take={(typed) => {
          const lit = readTypedWindow(typed, zone, Date.now());
          if (!lit) return 'Not understood: try "09:02 to 09:32"';
          onBefore({ type: 'fixed', ...windowAt(lit, Date.now()) });
        }}
        below={(close) => (
          <div className={styles.presets}>
            {BEFORE_CHOICES.map((type) => (
              <button
                key={type}
                type="button"
                aria-pressed={before.type === type}
                onClick={() => {
                  onBefore({ type });
                  close();
                }}
              >
                {BEFORE_WORDS[type]}
              </button>
            ))}
          </div>
        )}
      />
    </div>
  );
}
