import type { FileFacts } from './lineFacts.ts';
import { scriptFacts } from './scriptFacts.ts';
import { textFacts } from './textFacts.ts';

/** How facts of a file were found: by its syntax, or by its text. */
export interface ReadFile {
  readonly facts: FileFacts;
  readonly by: 'syntax' | 'text';
}

/** What the lines of a source file do; undefined for a language that is not known. */
export function fileFacts(source: string, file: string): ReadFile | undefined {
  const script = /\.(?:[cm]?js|jsx)$/.test(file) ? scriptFacts(source) : undefined;
  if (script) return { facts: script, by: 'syntax' };
  const facts = textFacts(source, file);
  return facts && { facts, by: 'text' };
}
