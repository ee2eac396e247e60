import { TypedPopover } from '../typing/TypedPopover.tsx';
import styles from './Casebook.module.css';
import { setPersonName, usePersonName } from './openCase.ts';

/** Who works here: what is written and pinned bears this name. */
export function PersonName() {
  const name = usePersonName();
  return (
    <TypedPopover
      button={name === '' ? 'say who you are' : `you are ${name}`}
      buttonClass={styles.quiet}
      label="Your name in cases"
      placeholder="Ines Halloran"
      take={(typed) => {
        setPersonName(typed);
        return undefined;
      }}
      below={() => <p className="dim">It stands beside what you write and pin. This browser remembers it.</p>}
    />
  );
}
