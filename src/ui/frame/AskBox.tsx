import { type RefObject, useState } from 'react';
import { readTraceReference } from '../../core/scope/traceReference.ts';
import { useScope } from '../state/scopeState.ts';
import styles from './AskBox.module.css';

/** The box at the top: paste a trace id or a trace context header and go there. */
export function AskBox({ input }: { input: RefObject<HTMLInputElement | null> }) {
  const { href } = useScope();
  const [text, setText] = useState('');
  const [error, setError] = useState('');
  const go = (): void => {
    if (text.trim() === '') return;
    const found = readTraceReference(text);
    if (!found) {
      setError('No trace id in this: it has 32 hex digits, alone or within a traceparent header');
      return;
    }
    location.href = href(`/traces/${found.traceId}`) + (found.spanId ? `&span=${found.spanId}` : '');
  };
  return (
    <form
      className={styles.form}
      onSubmit={(event) => {
        event.preventDefault();
        go();
      }}
    >
      <input
        ref={input}
        className={styles.input}
        aria-label="Ask"
        aria-describedby="ask-error"
        placeholder="Paste a trace id or a traceparent header"
        spellCheck={false}
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          setError('');
        }}
        onKeyDown={(event) => {
          if (event.key === 'Escape') event.currentTarget.blur();
        }}
      />
      <kbd className={styles.key}>/</kbd>
      <span id="ask-error" role="status" className={styles.error} data-shown={error !== ''}>
        {error}
      </span>
    </form>
  );
}
