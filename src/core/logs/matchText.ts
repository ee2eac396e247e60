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
 * for all of its lines; for the others the filter says whether any line can have it, and then only lines with a value that can take part in the
 * term are put together and looked through.
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
  for (const term of query.terms) {
    const inLiteral = isInLiteral(term.text);
    const may = templates.map(mayHave(segment, term.text));
    let takesPart: Uint8Array | undefined;
    for (let row = 0; row < marks.length; row++) {
      if (marks[row] === 0) continue;
      const of = shape.values[row] - 1;
      let has = inLiteral[of] && !isWhole(row);
      if (!has && may[of]) {
        unpacked ??= unpack();
        const { read, values } = unpacked;
        takesPart ??= valuesThatTakePart(values.texts, term.text);
        let isLooked = isWhole(row);
        for (let at = values.offsets[row]; !isLooked && at < values.offsets[row + 1]; at++)
          isLooked = takesPart[values.items[at]] === 1;
        has = isLooked && read(row).toLowerCase().includes(term.text);
      }
      if (has === term.without) marks[row] = 0;
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
