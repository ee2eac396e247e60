import { IconKeyboard, IconMoon, IconSun, IconX } from '@tabler/icons-react';
import type { RefObject } from 'react';
import { type Chip, withChipSwitched, withoutChip } from '../../core/scope/scope.ts';
import { parseDuration, shortDuration } from '../../core/time/duration.ts';
import { useScope } from '../state/scopeState.ts';
import { useScheme } from '../theme/schemeState.ts';
import { AskBox } from './AskBox.tsx';
import { NarrowMenu } from './NarrowMenu.tsx';
import styles from './ScopeBar.module.css';

const FIELD_WORDS: Record<Chip['field'], string> = {
  entry: 'entry',
  service: 'through',
  operation: 'with',
  slower: 'slower than',
  faster: 'faster than',
  failed: 'failed',
};

export function ScopeBar({ ask, showKeys }: { ask: RefObject<HTMLInputElement | null>; showKeys: () => void }) {
  const { scope, change } = useScope();
  const { scheme, switchScheme } = useScheme();
  return (
    <header className={styles.bar}>
      <div className={styles.chips} role="group" aria-label="Narrowed to">
        {scope.chips.map((chip) => (
          <span key={chip.field} className={styles.chip} data-off={!chip.on}>
            <button
              type="button"
              className={styles.body}
              aria-pressed={chip.on}
              title={chip.on ? 'Switch off, keep it here' : 'Switch on'}
              onClick={() => change(withChipSwitched(scope, chip.field))}
            >
              <span className={styles.field}>{FIELD_WORDS[chip.field]}</span> <b>{chipValue(chip)}</b>
            </button>
            <button
              type="button"
              className={styles.drop}
              aria-label={`Drop ${FIELD_WORDS[chip.field]} ${chip.value}`}
              onClick={() => change(withoutChip(scope, chip.field))}
            >
              <IconX size={12} stroke={2} />
            </button>
          </span>
        ))}
        <NarrowMenu />
      </div>
      <AskBox input={ask} />
      <button type="button" className={styles.tool} aria-label="List of keys" title="List of keys (?)" onClick={showKeys}>
        <IconKeyboard size={17} stroke={1.6} />
      </button>
      <button
        type="button"
        className={styles.tool}
        aria-label={scheme === 'dusk' ? 'Show on paper' : 'Show at dusk'}
        title={scheme === 'dusk' ? 'Paper: dark on light' : 'Dusk: light on dark'}
        onClick={switchScheme}
      >
        {scheme === 'dusk' ? <IconSun size={17} stroke={1.6} /> : <IconMoon size={17} stroke={1.6} />}
      </button>
    </header>
  );
}

function chipValue({ field, value }: Chip): string {
  return field === 'slower' || field === 'faster' ? shortDuration(parseDuration(value)!) : value;
}
