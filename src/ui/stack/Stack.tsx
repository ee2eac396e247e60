import { useState } from 'react';
import { readStack, type StackLine } from '../../core/failures/stack.ts';
import styles from './Stack.module.css';

/** A printed stack; frames of libraries are folded where they follow each other. */
export function Stack({ stack }: { stack: string }) {
  const [whole, setWhole] = useState(false);
  const lines = readStack(stack);
  const library = lines.filter((it) => it.own === false).length;
  const parts: (StackLine | { folded: number; text: string })[] = [];
  for (const line of lines) {
    const last = parts.at(-1);
    if (whole || line.own !== false) parts.push(line);
    else if (last && 'folded' in last) last.folded++;
    else parts.push({ folded: 1, text: line.text });
  }
  return (
    <section>
      <h2>Stack</h2>
      <ol className={styles.stack}>
        {parts.map((it, at) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a line is its place in the stack
          <li key={at} data-own={'own' in it && it.own === true}>
            {'folded' in it ? `… ${it.folded} of libraries` : it.text.trim()}
          </li>
        ))}
      </ol>
      {library > 0 && (
        <button type="button" className={styles.more} aria-expanded={whole} onClick={() => setWhole(!whole)}>
          {whole ? 'fold libraries' : 'show all frames'}
        </button>
      )}
    </section>
  );
}
