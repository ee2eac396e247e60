import { ColumnWriter } from '../columns/columnWriter.ts';
import { codesOf, listsOf, numbersOf, type Segment, segmentOf } from '../columns/segment.ts';
import { attributeColumn, attributeKeys } from '../requests/requestColumns.ts';
import type { LogRow } from './logRow.ts';
import type { Matched } from './shapeTree.ts';
import { fill, type Template } from './template.ts';
import { FILTER, TextFilterWriter } from './textFilter.ts';

/*
 * The schema of a segment of log lines, in order of time. A line's text is its shape's template filled with its values; where the two do not give
 * it back, as for a structure of which only the message has a shape, it stands whole beside them.
 */

export const TIME = 'time';
export const SEVERITY = 'severity';
export const SERVICE = 'service';
export const INSTANCE = 'instance';
/** 48 bits of the trace id. */
export const TRACE = 'trace';
/** The id of the shape that the line matched when it was read. */
export const SHAPE = 'shape';
/** What fills the holes of that shape. */
export const VALUES = 'values';
/** The text, where it is not the filled template. */
export const WHOLE = 'whole';
export const BLOCK = 'block';
export const INDEX = 'index';
/** On one row at most: how many records of the slot were left out, since they could not be brought in order. */
export const LEFT_OUT = 'left out';

/** Keys of attributes that have a column, at most. */
const MOST_KEYS = 300;

/** Writes log lines as columns. */
export class LogSegmentWriter {
  readonly #writer = new ColumnWriter();
  readonly #keys = new Set<string>();
  readonly #templateOf: (id: string) => Template | undefined;
  /** undefined once there was a line whose template is not known. */
  #filter: TextFilterWriter | undefined = new TextFilterWriter();
  #leftOut = 0;

  /** @param templateOf the templates of lines that are copied: without them the segment has no filter of texts */
  constructor(templateOf: (id: string) => Template | undefined = () => undefined) {
    this.#templateOf = templateOf;
  }

  get rows(): number {
    return this.#writer.rows;
  }

  add(row: LogRow, { shape, values }: Matched): void {
    const to = this.#writer;
    to.number(TIME, row.time);
    to.code(SEVERITY, row.severity);
    to.text(SERVICE, row.service);
    if (row.instance !== '') to.text(INSTANCE, row.instance);
    if (!Number.isNaN(row.trace)) to.number(TRACE, row.trace);
    to.text(SHAPE, shape.id);
    for (const value of values) to.addText(VALUES, value);
    if (fill(shape.template, values) === row.text) this.#filter?.add(shape.template, values);
    else {
      to.text(WHOLE, row.text);
      this.#filter?.addWhole(row.text);
    }
    to.text(BLOCK, String(row.block));
    to.code(INDEX, row.index);
    for (const [key, value] of row.attributes) if (this.#hasRoomFor(key)) to.text(attributeColumn(key), value);
    this.#endRow();
  }

  /** Notes, on the next row, that records were left out. */
  leaveOut(records: number): void {
    this.#leftOut = records;
  }

  #endRow(): void {
    if (this.#leftOut > 0) this.#writer.code(LEFT_OUT, this.#leftOut);
    this.#leftOut = 0;
    this.#writer.endRow();
  }

  /** Adds a row of another segment of the same slot as it is. */
  copy(segment: Segment, row: number): void {
    const to = this.#writer;
    to.number(TIME, numbersOf(segment, TIME)[row]);
    to.code(SEVERITY, codesOf(segment, SEVERITY).values[row]);
    to.code(INDEX, codesOf(segment, INDEX).values[row]);
    const trace = numbersOf(segment, TRACE)[row];
    if (!Number.isNaN(trace)) to.number(TRACE, trace);
    for (const name of [SERVICE, INSTANCE, SHAPE, WHOLE, BLOCK]) copyText(to, segment, name, row);
    const values = listsOf(segment, VALUES);
    const own: string[] = [];
    for (let at = values.offsets[row]; at < values.offsets[row + 1]; at++) own.push(values.texts[values.items[at]]);
    for (const value of own) to.addText(VALUES, value);
    this.#filterCopied(segment, row, own);
    for (const key of attributeKeys(segment)) if (this.#hasRoomFor(key)) copyText(to, segment, attributeColumn(key), row);
    this.#endRow();
  }

  #filterCopied(segment: Segment, row: number, values: readonly string[]): void {
    const whole = codesOf(segment, WHOLE);
    if (whole.values[row] > 0) {
      this.#filter?.addWhole(whole.texts[whole.values[row] - 1]);
      return;
    }
    const shape = codesOf(segment, SHAPE);
    const template = this.#templateOf(shape.texts[shape.values[row] - 1]);
    if (template) this.#filter?.add(template, values);
    else this.#filter = undefined;
  }

  finish(): Segment {
    const segment = this.#writer.finish();
    if (!this.#filter || segment.rows === 0) return segment;
    const filter = { type: 'bytes', ...this.#filter.finish(segment.rows) } as const;
    return segmentOf(
      segment.rows,
      new Map([...segment.names.map((name) => [name, segment.column(name)!] as const), [FILTER, filter] as const]),
    );
  }

  #hasRoomFor(key: string): boolean {
    if (this.#keys.has(key)) return true;
    if (this.#keys.size >= MOST_KEYS) return false;
    this.#keys.add(key);
    return true;
  }
}

function copyText(to: ColumnWriter, segment: Segment, name: string, row: number): void {
  const { values, texts } = codesOf(segment, name);
  if (values[row] > 0) to.text(name, texts[values[row] - 1]);
}
