import { codesOf, listsOf, type Segment } from '../columns/segment.ts';
import { SHAPE, VALUES, WHOLE } from './logColumns.ts';
import { fill, HOLE, type Template } from './template.ts';
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
 * for all of its lines; for the others only lines with a value that can take part in the term are put together and looked through.
 */
export function matchText(
  marks: Uint8Array,
  segment: Segment,
  query: TextQuery,
  templateOf: (id: string) => Template | undefined,
): void {
  if (query.terms.length === 0 && query.pattern === null) return;
  const read = textReader(segment, templateOf);
  const whole = codesOf(segment, WHOLE).values;
  const shape = codesOf(segment, SHAPE);
  const values = listsOf(segment, VALUES);
  const literals = shape.texts.map((id) => (templateOf(id) ?? []).join('').toLowerCase().split(HOLE));
  for (const term of query.terms) {
    const inLiteral = literals.map((pieces) => pieces.some((piece) => piece.includes(term.text)));
    let takesPart: Uint8Array | undefined;
    for (let row = 0; row < marks.length; row++) {
      if (marks[row] === 0) continue;
      const of = shape.values[row] - 1;
      let has: boolean;
      if (whole[row] > 0) has = read(row).toLowerCase().includes(term.text);
      else if (inLiteral[of]) has = true;
      else {
        takesPart ??= valuesThatTakePart(values.texts, term.text);
        has = false;
        for (let at = values.offsets[row]; at < values.offsets[row + 1]; at++)
          if (takesPart[values.items[at]] === 1) {
            has = read(row).toLowerCase().includes(term.text);
            break;
          }
      }
      if (has === term.without) marks[row] = 0;
    }
  }
  if (query.pattern === null) return;
  const pattern: TextQuery = { terms: [], pattern: query.pattern };
  for (let row = 0; row < marks.length; row++) if (marks[row] === 1 && !fitsText(pattern, read(row))) marks[row] = 0;
}

/** Marks the values that can be part of a text that has a term in it which is not in the literal text: they share an end with it, or one holds the other. */
function valuesThatTakePart(texts: readonly string[], term: string): Uint8Array {
  const marks = new Uint8Array(texts.length);
  for (const [at, text] of texts.entries()) {
    const value = text.toLowerCase();
    if (value === '' || term.includes(value) || value.includes(term) || overlaps(value, term) || overlaps(term, value))
      marks[at] = 1;
  }
  return marks;
}

/** Whether an end of one text is a beginning of the other. */
function overlaps(first: string, second: string): boolean {
  for (let length = Math.min(first.length, second.length) - 1; length >= 1; length--)
    if (first.charCodeAt(first.length - 1) === second.charCodeAt(length - 1) && first.endsWith(second.slice(0, length)))
      return true;
  return false;
}
