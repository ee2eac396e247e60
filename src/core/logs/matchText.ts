import { type CodeColumn, type Codes, codesOf, type ListColumn, listsOf, type Segment, type Texts } from '../columns/segment.ts';
import { SHAPE, VALUES, WHOLE } from './logColumns.ts';
import { fill, HOLE, type Template } from './template.ts';
import { mayHave } from './textFilter.ts';
import { fitsText, type TextQuery } from './textQuery.ts';

/**
 * The text of a line of a segment.
 *
 * @param templateOf the template of a shape by its id @param valueAt a value by its index; by default out of all, which are taken apart for it
 */
export function textReader(
  segment: Segment,
  templateOf: (id: string) => Template | undefined,
  valueAt?: (index: number) => string,
): (row: number) => string {
  const whole = codesOf(segment, WHOLE);
  const shape = codesOf(segment, SHAPE);
  const templates = shape.texts.map(templateOf);
  const values = listsOf(segment, VALUES);
  const textAt = valueAt ?? ((index) => values.texts[index]);
  return (row) => {
    if (whole.values[row] > 0) return whole.texts[whole.values[row] - 1];
    const filled: string[] = [];
    for (let at = values.offsets[row]; at < values.offsets[row + 1]; at++) filled.push(textAt(values.items[at]));
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
  let unpacked: ListColumn | undefined;
  let whole: CodeColumn | undefined;
  const isWhole = (row: number) => {
    whole ??= codesOf(segment, WHOLE);
    return whole.values[row] > 0;
  };
  for (const { text, without } of query.terms) {
    const inLiteral = isInLiteral(text);
    const may = templates.map(mayHave(segment, text));
    // Of a shape whose template is not known nothing is known of what stands around its values.
    const open = literals.map((pieces, of) => (templates[of] ? openHoles(pieces, text) : undefined));
    let parts: Uint8Array | undefined;
    let wholeParts: Uint8Array | undefined;
    const unsure: number[] = [];
    for (let row = 0; row < marks.length; row++) {
      if (marks[row] === 0) continue;
      const of = shape.values[row] - 1;
      let has = false;
      if ((inLiteral[of] || may[of]) && isWhole(row)) {
        wholeParts ??= partsOf(whole!, whole!.values.length, text, undefined);
        const code = whole!.values[row] - 1;
        has = wholeParts[code] === HAS_IT || (wholeParts[code] === UNSURE && whole!.texts[code].toLowerCase().includes(text));
      } else if (inLiteral[of]) has = true;
      else if (may[of]) {
        unpacked ??= listsOf(segment, VALUES);
        parts ??= partsOf(unpacked, unpacked.items.length, text, inOpenHoles(marks, shape.values, unpacked, may, open));
        let isLooked = false;
        const from = unpacked.offsets[row];
        for (let at = from; !isLooked && !has && at < unpacked.offsets[row + 1]; at++) {
          const part = parts[unpacked.items[at]];
          has = part === HAS_IT;
          isLooked = part === UNSURE || (part === MAY_BE_PART && open[of]?.[at - from] !== 0);
        }
        if (isLooked && !has) {
          unsure.push(row);
          continue;
        }
      }
      if (has === without) marks[row] = 0;
    }
    if (unsure.length === 0) continue;
    const read = textReader(segment, templateOf, valuesOfRows(unpacked!, unsure));
    for (const row of unsure) if (read(row).toLowerCase().includes(text) === without) marks[row] = 0;
  }
  if (query.pattern === null) return;
  const pattern: TextQuery = { terms: [], pattern: query.pattern };
  const { needed = '' } = query;
  const inLiteral = isInLiteral(needed);
  const may = templates.map(mayHave(segment, needed));
  let read: ReturnType<typeof textReader> | undefined;
  for (let row = 0; row < marks.length; row++) {
    if (marks[row] === 0) continue;
    const of = shape.values[row] - 1;
    if (!may[of] && !(inLiteral[of] && !isWhole(row))) marks[row] = 0;
    else {
      read ??= textReader(segment, templateOf);
      if (!fitsText(pattern, read(row))) marks[row] = 0;
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

/** Which values stand in holes that are open, in lines that are looked at: 1. Undefined when none does. */
function inOpenHoles(
  marks: Uint8Array,
  shapes: Codes,
  { offsets, items }: ListColumn,
  may: readonly boolean[],
  open: readonly (Uint8Array | undefined)[],
): Uint8Array | undefined {
  const isOpen = open.map((holes, of) => may[of] && (!holes || holes.includes(1)));
  if (!isOpen.includes(true)) return undefined;
  let found: Uint8Array | undefined;
  for (let row = 0; row < marks.length; row++) {
    const of = shapes[row] - 1;
    if (marks[row] === 0 || !isOpen[of]) continue;
    const holes = open[of];
    for (let at = offsets[row]; at < offsets[row + 1]; at++) {
      if (holes && holes[at - offsets[row]] === 0) continue;
      found ??= new Uint8Array(items.length);
      found[items[at]] = 1;
    }
  }
  return found;
}

/** How each text stands to a term. @param most no fewer than there are texts @param inOpen of which it matters whether they may be a part of it */
function partsOf(from: Texts, most: number, term: string, inOpen: Uint8Array | undefined): Uint8Array {
  const found = partsWithin(from, most, term, inOpen);
  if (found) return found;
  const { texts } = from;
  const parts = new Uint8Array(texts.length);
  for (let at = 0; at < texts.length; at++) parts[at] = partOf(texts[at], term, inOpen?.[at] === 1);
  return parts;
}

function partOf(text: string, term: string, isInOpen: boolean): number {
  // The small form of sigma is another at the end of a word.
  if (text.includes('\u03a3')) return UNSURE;
  const value = text.toLowerCase();
  if (value.includes(term)) return HAS_IT;
  return isInOpen && (value === '' || term.includes(value) || overlaps(value, term) || overlaps(term, value))
    ? MAY_BE_PART
    : NONE;
}

/** What JSON writes as it is, and has one small form wherever it stands. */
const PLAIN = /^[ !#-[\]-~]+$/;

/**
 * The same as `partsOf`, found in the texts as they lie, of which only few are taken out.
 *
 * @returns undefined where that would not be exact, or they lie apart already
 */
function partsWithin({ joined }: Texts, most: number, term: string, inOpen: Uint8Array | undefined): Uint8Array | undefined {
  const json = PLAIN.test(term) ? joined?.() : undefined;
  if (json === undefined || json.includes('\u03a3')) return undefined;
  const lower = json.toLowerCase();
  if (lower.length !== json.length) return undefined;
  const parts = new Uint8Array(most);
  const last = inOpen ? inOpen.lastIndexOf(1) : -1;
  let hit = lower.indexOf(term);
  for (let index = 0, open = 1; hit >= 0 || index <= last; index++) {
    const close = endOfText(lower, open);
    // Letters of an escape are none of the text.
    const isHit = hit >= 0 && hit < close;
    const isSure = isHit && !lower.slice(Math.max(open, hit - ESCAPE), hit).includes('\\');
    if (isSure) parts[index] = HAS_IT;
    else if (isHit || inOpen?.[index] === 1)
      parts[index] = partOf(JSON.parse(json.slice(open, close + 1)) as string, term, inOpen?.[index] === 1);
    if (isHit) hit = lower.indexOf(term, close);
    open = close + 2;
  }
  return parts;
}

/** The values of some rows: where they lie joined, the others are not taken apart for them. */
function valuesOfRows(values: ListColumn, rows: readonly number[]): (index: number) => string {
  const { offsets, items } = values;
  const json = rows.length < offsets.length / 8 ? values.joined?.() : undefined;
  if (json === undefined) return (index) => values.texts[index];
  const wanted = new Uint8Array(items.length);
  for (const row of rows) for (let at = offsets[row]; at < offsets[row + 1]; at++) wanted[items[at]] = 1;
  const last = wanted.lastIndexOf(1);
  const found = new Map<number, string>();
  for (let index = 0, open = 1; index <= last; index++) {
    const close = endOfText(json, open);
    if (wanted[index] === 1) found.set(index, JSON.parse(json.slice(open, close + 1)) as string);
    open = close + 2;
  }
  return (index) => found.get(index)!;
}

/** Characters of an escape, such as `\\u001b`, before its last. */
const ESCAPE = 5;

/** The quote that ends a text of JSON. @param open the one that begins it */
function endOfText(json: string, open: number): number {
  for (let at = json.indexOf('"', open + 1); ; at = json.indexOf('"', at + 1)) {
    let before = at - 1;
    while (json.charCodeAt(before) === BACKSLASH) before--;
    if ((at - before) % 2 === 1) return at;
  }
}

const BACKSLASH = 92;

/** Whether an end of one text is a beginning of the other. */
function overlaps(first: string, second: string): boolean {
  for (let length = Math.min(first.length, second.length); length >= 1; length--)
    if (first.charCodeAt(first.length - 1) === second.charCodeAt(length - 1) && first.endsWith(second.slice(0, length)))
      return true;
  return false;
}
