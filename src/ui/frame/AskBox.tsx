import { lazy, type RefObject, Suspense, useRef, useState } from 'react';
import styles from './AskBox.module.css';
import type { AskHandle } from './AskOffers.tsx';

const AskOffers = lazy(() => import('./AskOffers.tsx'));

interface AskBoxProps {
  readonly input: RefObject<HTMLInputElement | null>;
  readonly showKeys: () => void;
}

/** The box at the top: paste an id, a header, a name, a value or a piece of an error; or type a page, a time, a condition, a command. */
export function AskBox({ input, showKeys }: AskBoxProps) {
  const [text, setText] = useState('');
  const [isWanted, setWanted] = useState(false);
  const offers = useRef<AskHandle>(null);
  const entered = useRef(false);
  return (
    <div className={styles.form}>
      <input
        ref={input}
        className={styles.input}
        aria-label="Ask"
        placeholder="Ask: an id, a header, a name, an error"
        autoComplete="off"
        spellCheck={false}
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setWanted(true);
          offers.current?.changed();
        }}
        onFocus={() => {
          setWanted(true);
          offers.current?.focused();
        }}
        onBlur={() => offers.current?.left()}
        onKeyDown={(event) => {
          if (event.key === 'Escape') event.currentTarget.blur();
          if (offers.current) offers.current.pressed(event);
          else if (event.key === 'Enter') entered.current = text.trim() !== '';
        }}
      />
      {isWanted && (
        <Suspense>
          <AskOffers ref={offers} input={input} text={text} entered={entered} showKeys={showKeys} />
        </Suspense>
      )}
      <kbd className={styles.key}>/</kbd>
    </div>
  );
}
