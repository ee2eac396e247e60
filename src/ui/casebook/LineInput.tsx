import { useState } from 'react';
import { useMay } from '../state/who.ts';
import styles from './Casebook.module.css';

interface LineInputProps {
  readonly label: string;
  readonly hint: string;
  readonly take: (text: string) => void;
  readonly most?: number;
}

/** A line to write something into a case; Enter adds it. Who only reads has none. */
export function LineInput({ label, hint, take, most = 2_000 }: LineInputProps) {
  const [text, setText] = useState('');
  if (!useMay('responder')) return null;
  return (
    <form
      className={styles.lineInput}
      onSubmit={(event) => {
        event.preventDefault();
        if (text.trim() === '') return;
        take(text.trim());
        setText('');
      }}
    >
      <input
        aria-label={label}
        placeholder={hint}
        value={text}
        maxLength={most}
        onChange={(event) => setText(event.target.value)}
      />
      {text.trim() !== '' && <button type="submit">add</button>}
    </form>
  );
}
