/** The beginning of a part of SQL, or a whole one: texts, names, comments, words, parameters and numbers, in this order. */
const PART = /'|\$(?:[a-z_]\w*)?\$|"|\/\*|--[^\n]*|[a-z_][\w$]*|\$\d+|\d+(?:\.\d+)?(?:e[+-]?\d+)?/giy;

/**
 * A statement with its texts and numbers left out. Comments stay, since a trace's id may stand in one. A text that does not end goes on to
 * the end, as it does for a database. Each character is looked at once.
 */
export function withoutLiterals(statement: string): string {
  let written = '';
  let kept = 0;
  let at = 0;
  const leaveOut = (from: number, to: number) => {
    written += `${statement.slice(kept, from)}?`;
    kept = to;
    at = to;
  };
  while (at < statement.length) {
    PART.lastIndex = at;
    const part = PART.exec(statement)?.[0];
    if (part === undefined) at++;
    else if (part === "'") leaveOut(at, afterQuote(statement, at, "'"));
    else if (part.length > 1 && part.startsWith('$') && part.endsWith('$'))
      leaveOut(at, afterText(statement, part, at + part.length));
    else if (part === '"') at = afterQuote(statement, at, '"');
    else if (part === '/*') at = afterText(statement, '*/', at + 2);
    else if (part.charCodeAt(0) >= 48 && part.charCodeAt(0) <= 57) leaveOut(at, at + part.length);
    else at += part.length;
  }
  return written + statement.slice(kept);
}

/** The place behind the mark that ends a text, or the end. */
function afterText(statement: string, mark: string, from: number): number {
  const found = statement.indexOf(mark, from);
  return found < 0 ? statement.length : found + mark.length;
}

/** The same for a quotation, within which the mark twice stands for itself. */
function afterQuote(statement: string, from: number, mark: string): number {
  let end = afterText(statement, mark, from + 1);
  while (statement.startsWith(mark, end)) end = afterText(statement, mark, end + 1);
  return end;
}
