/** Words with which only questions begin: messages of errors begin with "could" and "is", too. */
const ASKS = /^(why|what|what's|who|where|when|which|how)\b/i;
/** With fewer words it may be a name, such as "is open". */
const LEAST_WORDS = 3;

/** Whether a typed text is a question in words, and not a name, an id or a condition. */
export function isQuestion(text: string): boolean {
  const words = text.trim().split(/\s+/);
  if (words.length < LEAST_WORDS) return false;
  return text.trim().endsWith('?') || ASKS.test(text.trim());
}

/** The names that stand in a text as whole words, upper and lower case alike, the longest first. */
export function namesIn(text: string, names: readonly string[]): string[] {
  const said = ` ${text.toLowerCase().replace(/[?!.,;:"]+(?=\s|$)/g, '')} `;
  return names
    .filter((name) => name.trim() !== '' && said.includes(` ${name.toLowerCase()} `))
    .sort((a, b) => b.length - a.length);
}
