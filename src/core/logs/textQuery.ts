import { RE2JS } from 're2js';
import { neededBy } from './textFilter.ts';

/** What a line must have in its text, or must not have. */
export interface TextTerm {
  /** In lower case. */
  readonly text: string;
  readonly without: boolean;
}

/** What somebody looks for among lines: every term must hold, and the pattern must be found. */
export interface TextQuery {
  readonly terms: readonly TextTerm[];
  /** Whether the pattern fits somewhere in a text; null without one. Takes time that grows with the text alone. */
  readonly pattern: ((text: string) => boolean) | null;
  /** What every text that the pattern fits has in it, in lower case; empty when that is not known. */
  readonly needed?: string;
}

export const LONGEST_QUERY = 500;
const MOST_TERMS = 20;
/** Steps of a pattern: a text is looked through in at most so many times its length. */
const MOST_STEPS = 250;

export const NO_TEXT: TextQuery = { terms: [], pattern: null };

/**
 * Reads what was typed: words, "words in this order", -without either; a regular expression between slashes, as /key k-\d+/.
 *
 * @returns the query, or what is wrong with it
 */
export function parseTextQuery(typed: string): TextQuery | string {
  const text = typed.trim();
  if (text.length > LONGEST_QUERY) return `${text.length} characters, ${LONGEST_QUERY} at most`;
  const between = /(?:^|\s)\/(.+)\/$/s.exec(text);
  const words = between ? text.slice(0, between.index) : text;
  const terms: TextTerm[] = [];
  for (const [, minus, phrase, word] of words.matchAll(/(-?)(?:"([^"]*)"?|(\S+))/g)) {
    const part = (phrase ?? word ?? '').toLowerCase();
    if (part !== '') terms.push({ text: part, without: minus === '-' });
  }
  if (terms.length > MOST_TERMS) return `${terms.length} words, ${MOST_TERMS} at most`;
  if (!between) return { terms, pattern: null };
  const pattern = patternOf(between[1]);
  return typeof pattern === 'string' ? pattern : { terms, pattern, needed: neededBy(between[1]) };
}

function patternOf(source: string): ((text: string) => boolean) | string {
  try {
    const ready = RE2JS.compile(source, RE2JS.CASE_INSENSITIVE);
    if (ready.programSize() > MOST_STEPS)
      return `the pattern takes ${ready.programSize()} steps, ${MOST_STEPS} at most; use + or * in place of large counts`;
    return (text) => ready.test(text);
  } catch (error) {
    return `the pattern cannot be used: ${(error as Error).message.replace(/^error parsing regexp: /, '')}`;
  }
}

/** Whether a text fits. */
export function fitsText({ terms, pattern }: TextQuery, text: string): boolean {
  if (terms.length > 0) {
    const lower = text.toLowerCase();
    for (const term of terms) if (lower.includes(term.text) === term.without) return false;
  }
  return pattern === null || pattern(text);
}
