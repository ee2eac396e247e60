/** Characters of an error in the log: messages of the database hold all that a statement was given. */
const LONGEST = 4_000;

/** An error as it is written into the log: with its stack and causes, and no longer than can be read. */
export function errorText(error: unknown): string {
  const parts: string[] = [];
  for (let at: unknown = error, depth = 0; at !== undefined && depth < 4; depth++) {
    parts.push(cut(at instanceof Error ? (at.stack ?? at.message) : String(at)));
    at = at instanceof Error ? at.cause : undefined;
  }
  return parts.join('\ncaused by ');
}

/** The beginning and the end of a text: the one says what, the other where. */
function cut(text: string): string {
  if (text.length <= LONGEST) return text;
  return `${text.slice(0, LONGEST / 2)}\n… ${text.length - LONGEST} characters left out …\n${text.slice(-LONGEST / 2)}`;
}
