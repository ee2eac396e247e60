import { formatDialect, postgresql } from 'sql-formatter';

/** A statement set out over lines. */
export function setOut(text: string): string {
  try {
    return formatDialect(text, { dialect: postgresql, keywordCase: 'preserve', tabWidth: 2 });
  } catch {
    // Of a statement that was cut, the text as it came is better than none.
    return text;
  }
}
