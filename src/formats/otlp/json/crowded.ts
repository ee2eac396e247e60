import { MalformedRequest } from '../wire/refusal.ts';

/** Values of one request: each takes some fifty bytes once it is read, however short it is written. */
const MOST_VALUES = 1_000_000;

const QUOTE = 34;
const BACKSLASH = 92;

/** Counts what a JSON text holds before it is read. @throws MalformedRequest when it is too much */
export function refuseCrowded(text: string): void {
  let values = 0;
  for (let at = 0; at < text.length; at++) {
    switch (text.charCodeAt(at)) {
      case QUOTE:
        at = endOfString(text, at);
        break;
      case 91: // [
      case 123: // {
      case 44: // ,
        values++;
        break;
      default:
        continue;
    }
    if (values > MOST_VALUES) throw new MalformedRequest(`the body holds over ${MOST_VALUES} values; send smaller batches`);
  }
}

/** Where the quote stands that ends a string; the end of the text when none does. */
function endOfString(text: string, from: number): number {
  let end = from;
  do {
    end = text.indexOf('"', end + 1);
    if (end < 0) return text.length;
  } while (isEscaped(text, end));
  return end;
}

/** Whether a character stands behind an odd number of backslashes. */
function isEscaped(text: string, at: number): boolean {
  let before = at - 1;
  while (text.charCodeAt(before) === BACKSLASH) before--;
  return (at - before) % 2 === 0;
}
