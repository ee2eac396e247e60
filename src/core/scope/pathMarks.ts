/*
 * Names in addresses hold what they like: `a, b`, `GET /passes`, `100 %`. The web framework refuses a path in which some marks are encoded that
 * it decodes and some that it does not. So marks that mean nothing in a path are written out before it sees them, and those that would mean
 * something are stood in for by characters that no name has.
 */

/** Encoded marks that may stand in a path as they are: $ & + , : ; = @ */
const HARMLESS = /%(?:2[46BC]|3[ABD]|40)/gi;
/** Those that would end a part, the path or an encoding: # % / ? */
const MEANT = /%(23|25|2F|3F)/gi;
/** The first of the characters for private use of Unicode; each mark is stood in for by the one as far behind it as its own code. */
const PRIVATE = 0xe000;
const ENCODED_STAND_INS = /%EE%80%(?:A3|A5|AF|BF)/gi;
const STAND_INS = /[\ue023\ue025\ue02f\ue03f]/g;

/** A path and query with its marks stood in for. What is no encoding is left as it is. */
export function standInForMarks(address: string): string {
  const end = address.search(/[?#]/);
  const path = end < 0 ? address : address.slice(0, end);
  if (!path.includes('%')) return address;
  const stood = path
    .replace(HARMLESS, decodeURIComponent)
    .replace(MEANT, (_, code: string) => encodeURIComponent(String.fromCharCode(PRIVATE + Number.parseInt(code, 16))));
  return stood + address.slice(path.length);
}

/** A part of a decoded path as it was meant. */
export function withMarks(part: string): string {
  return part.replace(STAND_INS, mark);
}

/** An encoded path as it was asked for. */
export function withEncodedMarks(path: string): string {
  return path.replace(ENCODED_STAND_INS, (it) => encodeURIComponent(mark(decodeURIComponent(it))));
}

function mark(standIn: string): string {
  return String.fromCharCode(standIn.charCodeAt(0) - PRIVATE);
}
