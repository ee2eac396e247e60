import { IconKeyboard, IconMoon, IconSun, IconX } from '@tabler/icons-react';
import type { RefObject } from 'react';
import { isBare, turnedRound } from '../../core/scope/condition.ts';
import { writeCondition } from '../../core/scope/conditionText.ts';
import { type Chip, withChipChanged, withoutChip } from '../../core/scope/scope.ts';
import { parseDuration, shortDuration } from '../../core/time/duration.ts';
import { PinButton } from '../casebook/PinButton.tsx';
import { useScope } from '../state/scopeState.ts';
import { useScheme } from '../theme/schemeState.ts';
import { AskBox } from './AskBox.tsx';
import { ENVIRONMENT, EnvironmentMenu } from './EnvironmentMenu.tsx';
import { LinkButton } from './LinkButton.tsx';
import { NarrowMenu } from './NarrowMenu.tsx';
import styles from './ScopeBar.module.css';

export function ScopeBar({ ask, showKeys }: { ask: RefObject<HTMLInputElement | null>; showKeys: () => void }) {
  const { scope, change } = useScope();
  const { scheme, switchScheme } = useScheme();
  return (
    <header className={styles.bar}>
      <div className={styles.chips} role="group" aria-label="Narrowed to">
        <EnvironmentMenu />
        {scope.chips
          .filter((chip) => chip.field !== ENVIRONMENT)
          .map((chip) => (
            <ChipView
              key={writeCondition(chip)}
              chip={chip}
              put={(changed) => change(withChipChanged(scope, chip, changed))}
              drop={() => change(withoutChip(scope, chip))}
            />
          ))}
        <NarrowMenu />
      </div>
      <AskBox input={ask} showKeys={showKeys} />
      <PinButton />
      <LinkButton />
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

interface ChipProps {
  readonly chip: Chip;
  readonly put: (changed: Chip) => void;
  readonly drop: () => void;
}

/** A chip: its middle word turns it round, its value switches it off and on, the cross drops it. */
function ChipView({ chip, put, drop }: ChipProps) {
  const words = chipWords(chip);
  return (
    <span className={styles.chip} data-off={!chip.on}>
      <span className={styles.field}>{words.field}</span>
      <button
        type="button"
        className={styles.turn}
        title={`Turn round: ${chipWords({ ...chip, ...turnedRound(chip) }).operator}`}
        aria-label={`${words.operator}: turn ${chip.field} round`}
        onClick={() => put({ ...chip, ...turnedRound(chip) })}
      >
        {words.operator}
      </button>
      <button
        type="button"
        className={styles.body}
        aria-pressed={chip.on}
        title={chip.on ? 'Switch off, keep it here' : 'Switch on'}
        onClick={() => put({ ...chip, on: !chip.on })}
      >
        <b>{words.value}</b>
      </button>
      <button type="button" className={styles.drop} aria-label={`Drop ${writeCondition(chip)}`} onClick={drop}>
        <IconX size={12} stroke={2} />
      </button>
    </span>
  );
}

const FIELD_WORDS: Readonly<Record<string, string>> = { service: 'through', operation: 'with' };

function chipWords({ field, operator, values }: Chip): { field: string; operator: string; value: string } {
  const value = values
    .map((it) => (field === 'duration' ? shortDuration(parseDuration(it) ?? 0) : it === '' ? '(empty)' : it))
    .join(' or ');
  return { field: FIELD_WORDS[field] ?? field, operator, value: isBare(operator) ? '' : value };
}
