import { type Codes, codesOf, listsOf, type Segment } from '../columns/segment.ts';
import { SHAPE, VALUES, WHOLE } from './logColumns.ts';
import { fill, HOLE, type Template } from './template.ts';
import { mayHave } from './textFilter.ts';
import { fitsText, type TextQuery } from './textQuery.ts';

/** The text of a line of a segment. @param templateOf the template of a shape by its id */
export function textReader(segment: Segment, templateOf: (id: string) => Template | undefined): (row: number) => string {
  const whole = codesOf(segment, WHOLE);
  const shape = codesOf(segment, SHAPE);
  const templates = shape.texts.map(templateOf);
  const values = listsOf(segment, VALUES);
  return (row) => {
    if (whole.values[row] > 0) return whole.texts[whole.values[row] - 1];
    const filled: string[] = [];
    for (let at = values.offsets[row]; at < values.offsets[row + 1]; at++) filled.push(values.texts[values.items[at]]);
    const template = templates[shape.values[row] - 1];
    return template ? fill(template, filled) : filled.join(' ');
  };
}

/**
 * Takes the mark from rows whose text does not fit a query. Templates are looked at first: a term that stands in the literal text of a shape holds
 * for all of its lines. For the others the filter says whether any line can have it, then each value is looked at once however many lines have it; only
 * lines in which a value and what stands around it may make up the term together are put together and looked through.
 */
export function matchText(
  marks: Uint8Array,
  segment: Segment,
  query: TextQuery,
  templateOf: (id: string) => Template | undefined,
): void {
  if (query.terms.length === 0 && query.pattern === null) return;
  const shape = codesOf(segment, SHAPE);
  const templates = shape.texts.map(templateOf);
  const literals = templates.map((template) => (template ?? []).join('').toLowerCase().split(HOLE));
  const isInLiteral = (text: string) => literals.map((pieces) => pieces.some((piece) => piece.includes(text)));
  // Values take the most time to unpack, and many a question is answered without them.
  let unpacked: ReturnType<typeof unpack> | undefined;
  const unpack = () => ({ read: textReader(segment, templateOf), values: listsOf(segment, VALUES) });
  let whole: Codes | undefined;
  const isWhole = (row: number) => {
    whole ??= codesOf(segment, WHOLE).values;
    return whole[row] > 0;
  };
  for (const { text, without } of query.terms) {
    const inLiteral = isInLiteral(text);
    const may = templates.map(mayHave(segment, text));
    // Of a shape whose template is not known nothing is known of what stands around its values.
    const open = literals.map((pieces, of) => (templates[of] ? openHoles(pieces, text) : undefined));
    const hasEdges = open.some((holes, of) => may[of] && (!holes || holes.includes(1)));
    let parts: Uint8Array | undefined;
    for (let row = 0; row < marks.length; row++) {
      if (marks[row] === 0) continue;
      const of = shape.values[row] - 1;
      let has = inLiteral[of] && !isWhole(row);
      if (!has && may[of]) {
        unpacked ??= unpack();
        const { read, values } = unpacked;
        parts ??= partsOf(values.texts, text, hasEdges);
        let isLooked = isWhole(row);
        if (!isLooked) {
          const from = values.offsets[row];
          for (let at = from; at < values.offsets[row + 1]; at++) {
            const part = parts[values.items[at]];
            if (part === HAS_IT) {
              has = true;
              break;
            }
            if (part === NONE) continue;
            const holes = open[of];
            if (part === UNSURE || !holes || holes[at - from] !== 0) isLooked = true;
          }
        }
        if (!has) has = isLooked && read(row).toLowerCase().includes(text);
      }
      if (has === without) marks[row] = 0;
    }
  }
  if (query.pattern === null) return;
  const pattern: TextQuery = { terms: [], pattern: query.pattern };
  const { needed = '' } = query;
  const inLiteral = isInLiteral(needed);
  const may = templates.map(mayHave(segment, needed));
  for (let row = 0; row < marks.length; row++) {
    if (marks[row] === 0) continue;
    const of = shape.values[row] - 1;
    if (!may[of] && !(inLiteral[of] && !isWhole(row))) marks[row] = 0;
    else {
      unpacked ??= unpack();
      if (!fitsText(pattern, unpacked.read(row))) marks[row] = 0;
    }
  }
}

/**
 * By hole of a template whether a term may begin in the text before the hole, or go on in the text behind it: 1, otherwise 0. Where neither can be, the
 * term stands in the value or not at all.
 *
 * @param pieces the literal texts around the holes, in lower case
 */
function openHoles(pieces: readonly string[], term: string): Uint8Array {
  const open = new Uint8Array(pieces.length - 1);
  for (let hole = 0; hole < open.length; hole++) {
    const isLast = hole === open.length - 1;
    if (overlaps(pieces[hole], term) || goesOnIn(pieces[hole + 1], term, isLast)) open[hole] = 1;
  }
  return open;
}

/** Whether what is left of a term, after a part of it, is how a piece begins; where a hole follows the piece, as far as the piece goes. */
function goesOnIn(piece: string, term: string, isLast: boolean): boolean {
  for (let from = 1; from < term.length; from++) {
    const length = Math.min(piece.length, term.length - from);
    if (isLast && length < term.length - from) continue;
    if (term.startsWith(piece.slice(0, length), from)) return true;
  }
  return false;
}

/** How a value stands to a term: it has nothing of it, may be a part of it, has it in it, or tells only as a part of its line. */
const NONE = 0;
const MAY_BE_PART = 1;
const HAS_IT = 2;
const UNSURE = 3;

/** @param hasEdges whether parts of the term matter, too */
function partsOf(texts: readonly string[], term: string, hasEdges: boolean): Uint8Array {
  const parts = new Uint8Array(texts.length);
  for (let at = 0; at < texts.length; at++) {
    const text = texts[at];
    // The small form of sigma is another at the end of a word.
    if (text.includes('\u03a3')) {
      parts[at] = UNSURE;
      continue;
    }
    const value = text.toLowerCase();
    if (value.includes(term)) parts[at] = HAS_IT;
    else if (hasEdges && (value === '' || term.includes(value) || overlaps(value, term) || overlaps(term, value)))
      parts[at] = MAY_BE_PART;
  }
  return parts;
}

/** Whether an end of one text is a beginning of the other. */
function overlaps(first: string, second: string): boolean {
  for (let length = Math.min(first.length, second.length); length >= 1; length--)
    if (first.charCodeAt(first.length - 1) === second.charCodeAt(length - 1) && first.endsWith(second.slice(0, length)))
      return true;
  return false;
}
