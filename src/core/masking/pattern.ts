import { RE2JS } from 're2js';

/** What fits a pattern within a text. */
export interface Fit {
  readonly start: number;
  readonly end: number;
  /** Of the group named `secret`, when the pattern has one and it took part. */
  readonly secret?: { readonly start: number; readonly end: number };
}

/** Finds what fits a pattern, from a place in a text on. */
export type FitFinder = (text: string) => (from: number) => Fit | undefined;

export const LONGEST_PATTERN = 300;
/** Steps of a pattern: looking through a text takes at most so many times its length. Large counts make many. */
const MOST_STEPS = 250;

const SECRET = 'secret';

/**
 * A pattern that somebody wrote, ready to be looked for in time that grows with the text alone, whatever the pattern.
 *
 * @throws Error saying what cannot be used
 */
export function ownPattern(pattern: string): FitFinder {
  if (pattern.length > LONGEST_PATTERN) throw new Error(`the pattern is longer than ${LONGEST_PATTERN} characters`);
  let ready: RE2JS;
  try {
    ready = RE2JS.compile(pattern, RE2JS.CASE_INSENSITIVE | RE2JS.LOOKBEHINDS);
  } catch (error) {
    const why = (error as Error).message.replace(/^error parsing regexp: /, '').replace('`(?i)', '`');
    // Correct elsewhere: looking ahead, and back at an earlier group.
    const isUnknown = /Perl syntax|named capture|`\\\d/.test(why);
    throw new Error(isUnknown ? `${why}. Looking ahead and back-references cannot be used` : why);
  }
  if (ready.programSize() > MOST_STEPS)
    throw new Error(`the pattern takes ${ready.programSize()} steps, ${MOST_STEPS} at most; use + or * in place of large counts`);
  const hasSecret = SECRET in ready.namedGroups();
  return (text) => {
    // Most texts have nothing in them, which is found out faster.
    if (!ready.test(text)) return () => undefined;
    const matcher = ready.matcher(text);
    return (from) => {
      if (from > text.length || !matcher.find(from)) return undefined;
      const found = { start: matcher.start(), end: matcher.end() };
      const secret = hasSecret ? { start: matcher.start(SECRET), end: matcher.end(SECRET) } : undefined;
      return secret && secret.start >= 0 ? { ...found, secret } : found;
    };
  };
}

/** A pattern of the application's own, which is known to be quick. */
export function builtInPattern(pattern: string): FitFinder {
  const ready = new RegExp(pattern, 'dgi');
  return (text) => (from) => {
    ready.lastIndex = from;
    const indices = ready.exec(text)?.indices;
    if (!indices) return undefined;
    const [start, end] = indices[0];
    const secret = indices.groups?.[SECRET];
    return secret ? { start, end, secret: { start: secret[0], end: secret[1] } } : { start, end };
  };
}

/** Whether a text fits a line in which `*` stands for anything; capitals do not count. Looks at each part once. */
export function fitsStars(line: string): (text: string) => boolean {
  const parts = line.toLowerCase().split('*');
  const first = parts[0];
  const last = parts.at(-1)!;
  const between = parts.slice(1, -1);
  return (text) => {
    const low = text.toLowerCase();
    if (parts.length === 1) return low === first;
    if (low.length < first.length + last.length || !low.startsWith(first) || !low.endsWith(last)) return false;
    const end = low.length - last.length;
    let at = first.length;
    for (const part of between) {
      const found = low.indexOf(part, at);
      if (found < 0 || found + part.length > end) return false;
      at = found + part.length;
    }
    return true;
  };
}
