import { escaped } from '../../../core/masking/rules.ts';
import type { Sign } from '../../../core/masking/signs.ts';
import type { SignScan } from './scan.ts';

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
const isPart = (byte: number) => isDigit(byte) || byte === 32 || byte === 45;
const isWord = (byte: number) => isDigit(byte) || (byte >= 97 && byte <= 122) || (byte >= 65 && byte <= 90) || byte === 95;

/**
 * A look at bytes for any of some signs, capitals or not. It may see one where there is none (bytes that are no text), never miss one.
 * All that comes in is looked at, by a regular expression over the bytes as they are: the engine's own machine code passes over a byte in
 * a fraction of the time of a loop. What is found is told by place, so that a whole request can be looked at once and only the records
 * at those places again.
 *
 * @returns finds signs in bytes, so many at most
 */
export function signFinder(signs: readonly Sign[]): SignScan {
  if (signs.some(({ kind }) => kind === 'any')) return () => 'anywhere';
  const has = (kind: Sign['kind']) => signs.some((sign) => sign.kind === kind);
  const literals = signs.flatMap((sign) => (sign.kind === 'literal' ? escaped(sign.text) : []));
  const marks = [...new Set(literals), ...(has('mail') ? ['@'] : []), ...(has('parameter') ? ['='] : [])];
  const pattern = marks.length > 0 ? new RegExp(marks.join('|'), 'gi') : undefined;
  const digits = has('digits');
  return (bytes, most = Number.POSITIVE_INFINITY) => {
    const found: number[] = [];
    if (pattern) findMarks(pattern, bytes, most, found);
    if (digits) findDigits(bytes, most, found);
    return found;
  };
}

/** Adds where words of the pattern stand, and the mark of a mail address or a parameter where it is one. */
function findMarks(pattern: RegExp, bytes: Uint8Array, most: number, found: number[]): void {
  // One character a byte, so that places in the text are places in the bytes.
  const text = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('latin1');
  pattern.lastIndex = 0;
  for (let hit = pattern.exec(text); hit && found.length < most; hit = pattern.exec(text)) {
    const byte = bytes[hit.index];
    if (byte === AT ? isMail(bytes, hit.index) : byte !== EQUALS || isParameter(bytes, hit.index)) found.push(hit.index);
  }
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

/** Adds where runs of enough digits begin. A run ends at a byte of any other kind, such as stands between two records. */
function findDigits(bytes: Uint8Array, most: number, found: number[]): void {
  for (let at = STRIDE - 1; at < bytes.length && found.length < most; at += STRIDE) {
    if (!isPart(bytes[at])) continue;
    let first = at;
    while (first > 0 && isPart(bytes[first - 1])) first--;
    let digits = 0;
    let end = first;
    for (; end < bytes.length && isPart(bytes[end]); end++) if (isDigit(bytes[end])) digits++;
    if (digits >= MOST_DIGITS) found.push(first);
    at = Math.max(at, end);
  }
}
