import { HOLE, type Template } from './template.ts';

/** A line in parts, what is sure to vary masked. */
export interface MaskedLine {
  /** Separators and words in turn, as of a template. */
  readonly parts: Template;
  /** What was masked, in order, those of a word together: by the index of the word, from 0. */
  readonly values: readonly (readonly string[])[];
}

/**
 * What varies whatever the line says: identifiers, times, addresses, numbers. Of what begins at the same place the first that fits counts.
 * Every part is linear: none has a choice within a repetition.
 */
const VARIES = new RegExp(
  [
    '[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12}',
    String.raw`\d{4}-\d\d-\d\d[T ]\d\d:\d\d(?::\d\d(?:[.,]\d{1,9})?)?(?:Z|[+-]\d\d:?\d\d)?`,
    String.raw`\d{4}[-/]\d\d[-/]\d\d`,
    String.raw`\d\d:\d\d:\d\d(?:[.,]\d{1,9})?`,
    String.raw`\d{1,3}\.\d{1,3}\.\d{1,3}\.\d{1,3}(?::\d{1,5})?`,
    '0x[0-9a-fA-F]+',
    // A word of letters and digits in which a letter follows a digit names one thing: OR7C41E9, 9f1c03ab. Not 41ms.
    String.raw`(?<![A-Za-z0-9])(?=[A-Za-z]*\d+[A-Za-z]+[A-Za-z0-9]*)(?!\d+(?:\.\d+)?[A-Za-z]{1,3}(?![A-Za-z0-9]))[A-Za-z0-9]{5,64}(?![A-Za-z0-9])`,
    String.raw`(?<![\w.])[+-]?\d+(?:[.,]\d+)*(?:[eE][+-]?\d+)?`,
    String.raw`\d+`,
  ].join('|'),
  'g',
);

/** What stands between words. */
const SEPARATOR = /[\s=:,;|{}()[\]"'<>]+/g;
/** Characters and words of a line that are looked at; what follows is one value. */
const MOST_CHARACTERS = 2_000;
const MOST_WORDS = 80;

/** Masks a line. Only its first line is looked at word by word: what follows, as a stack trace, is one value. Linear in its length. */
export function maskLine(text: string): MaskedLine {
  const end = text.indexOf('\n');
  const head = text.slice(0, Math.min(end < 0 ? text.length : end, MOST_CHARACTERS));
  let rest = text.slice(head.length);
  const found: string[] = [];
  const masked = head.replaceAll(HOLE, '?').replace(VARIES, (value) => {
    found.push(value);
    return HOLE;
  });
  const parts: string[] = [];
  const values: string[][] = [];
  let next = 0;
  let at = 0;
  const addWord = (word: string) => {
    const own: string[] = [];
    for (let index = word.indexOf(HOLE); index >= 0; index = word.indexOf(HOLE, index + 1)) own.push(found[next++]);
    parts.push(word);
    values.push(own);
  };
  SEPARATOR.lastIndex = 0;
  for (;;) {
    const separator = SEPARATOR.exec(masked);
    if (!separator || values.length >= MOST_WORDS) break;
    if (parts.length === 0 && separator.index > 0) parts.push('');
    if (separator.index > at) addWord(masked.slice(at, separator.index));
    parts.push(separator[0]);
    at = separator.index + separator[0].length;
  }
  if (parts.length === 0) parts.push('');
  if (at < masked.length) {
    if (values.length < MOST_WORDS) addWord(masked.slice(at));
    else {
      // As it came: its holes are filled again.
      let tail = masked.slice(at);
      while (next < found.length) tail = tail.replace(HOLE, () => found[next++]);
      rest = tail + rest;
    }
  }
  if (parts.length % 2 === 0) parts.push('');
  if (rest !== '') {
    parts.push(HOLE, '');
    values.push([rest]);
  }
  return { parts, values };
}

/** A word as it came. @param values of its holes */
export function wordOf(word: string, values: readonly string[]): string {
  let next = 0;
  return word.includes(HOLE) ? word.replaceAll(HOLE, () => values[next++]) : word;
}
