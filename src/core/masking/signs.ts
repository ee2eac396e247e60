/** What bytes of text must have before it is worth looking at them closely. */
export type Sign =
  | { readonly kind: 'literal'; readonly text: string }
  /** An @ with a letter before it, and behind it a name with a dot in it. */
  | { readonly kind: 'mail' }
  /** Fourteen digits, blanks and dashes among them or not. */
  | { readonly kind: 'digits' }
  /** A parameter of a URL: ? or &, a word, and =. */
  | { readonly kind: 'parameter' }
  /** Nothing can be said: every text is worth a look. */
  | { readonly kind: 'any' };

/** Letters by how seldom they are in names and texts, the rarest first. */
const BY_RARITY = 'zqxjkvbywgpfmucdlhrsnioate';
const MOST_DIGITS = 14;
/** Fourteen digits in a row cannot pass between two looks that are this far apart. */
const STRIDE = MOST_DIGITS / 2;

const AT = 64;
const DOT = 46;
const DASH = 45;
const PLUS = 43;
const EQUALS = 61;
const QUESTION = 63;
const AMPERSAND = 38;

const isDigit = (byte: number) => byte >= 48 && byte <= 57;
const isWord = (byte: number) => isDigit(byte) || (byte >= 97 && byte <= 122) || (byte >= 65 && byte <= 90) || byte === 95;
const lower = (byte: number) => (byte >= 65 && byte <= 90 ? byte + 32 : byte);

interface Literal {
  readonly bytes: Uint8Array;
  /** Where in it the letter stands by which it is found. */
  readonly at: number;
}

/**
 * A look at bytes for any of some signs, capitals or not. It may see one where there is none (bytes that are no text), never miss one.
 * Every record that comes in is looked at: one pass, a table look-up a byte.
 */
export function signFinder(signs: readonly Sign[]): (bytes: Uint8Array) => boolean {
  if (signs.some(({ kind }) => kind === 'any')) return () => true;
  const literals: Literal[][] = Array.from({ length: 256 }, () => []);
  const isTrigger = new Uint8Array(256);
  for (const sign of signs) {
    if (sign.kind !== 'literal') continue;
    const text = sign.text.toLowerCase();
    const at = rarest(text);
    const literal = { bytes: new TextEncoder().encode(text), at: new TextEncoder().encode(text.slice(0, at)).length };
    const byte = literal.bytes[literal.at];
    for (const each of new Set([byte, String.fromCharCode(byte).toUpperCase().charCodeAt(0) & 255])) {
      literals[each].push(literal);
      isTrigger[each] = 1;
    }
  }
  const has = (kind: Sign['kind']) => signs.some((sign) => sign.kind === kind);
  if (has('mail')) isTrigger[AT] = 1;
  if (has('parameter')) isTrigger[EQUALS] = 1;
  const digits = has('digits');
  return (bytes) => {
    for (let at = 0; at < bytes.length; at++) {
      const byte = bytes[at];
      if (isTrigger[byte] === 0) continue;
      if (byte === AT && isMail(bytes, at)) return true;
      if (byte === EQUALS && isParameter(bytes, at)) return true;
      for (const literal of literals[byte]) if (isAt(bytes, at - literal.at, literal.bytes)) return true;
    }
    return digits && hasDigits(bytes);
  };
}

function rarest(text: string): number {
  let best = 0;
  let rank = Number.POSITIVE_INFINITY;
  for (let at = 0; at < text.length; at++) {
    const own = BY_RARITY.indexOf(text[at]);
    if (own >= 0 && own < rank) {
      best = at;
      rank = own;
    }
  }
  return best;
}

function isAt(bytes: Uint8Array, start: number, literal: Uint8Array): boolean {
  if (start < 0 || start + literal.length > bytes.length) return false;
  for (let at = 0; at < literal.length; at++) if (lower(bytes[start + at]) !== literal[at]) return false;
  return true;
}

function isMail(bytes: Uint8Array, at: number): boolean {
  if (at === 0 || !isMailByte(bytes[at - 1])) return false;
  let end = at + 1;
  while (end < bytes.length && (isWord(bytes[end]) || bytes[end] === DASH)) end++;
  return end > at + 1 && bytes[end] === DOT;
}

const isMailByte = (byte: number) => isWord(byte) || byte === DOT || byte === DASH || byte === PLUS;

function isParameter(bytes: Uint8Array, equals: number): boolean {
  let at = equals - 1;
  while (at >= 0 && isWord(bytes[at])) at--;
  return at >= 0 && at < equals - 1 && (bytes[at] === QUESTION || bytes[at] === AMPERSAND);
}

function hasDigits(bytes: Uint8Array): boolean {
  const isPart = (byte: number) => isDigit(byte) || byte === 32 || byte === 45;
  for (let at = STRIDE - 1; at < bytes.length; at += STRIDE) {
    if (!isPart(bytes[at])) continue;
    let first = at;
    while (first > 0 && isPart(bytes[first - 1])) first--;
    let digits = 0;
    for (; first < bytes.length && isPart(bytes[first]); first++) if (isDigit(bytes[first])) digits++;
    if (digits >= MOST_DIGITS) return true;
    at = Math.max(at, first);
  }
  return false;
}
