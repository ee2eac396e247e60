/** Whole numbers from 0, each in as few bytes as the largest of them needs: a day of columns is to fit into memory. */
export type Codes = Uint8Array | Uint16Array | Uint32Array;
/** Numbers: in few bytes where all are whole and small. */
export type Numbers = Codes | Float64Array;

/** One value a row, whole or not; NaN where there is none. */
export interface NumberColumn {
  readonly type: 'numbers';
  readonly values: Numbers;
}

/** Texts of a column. */
export interface Texts {
  readonly texts: readonly string[];
  /**
   * All of them as the JSON of a list, to be looked through at once in a fraction of the time that taking them apart takes; undefined where they were
   * taken apart already.
   */
  readonly joined?: () => string | undefined;
}

/** One whole number a row, 0 to 2^32 - 1: a count, a set of flags, or 1 + an index into `texts`, where 0 is "no value". */
export interface CodeColumn extends Texts {
  readonly type: 'codes';
  readonly values: Codes;
}

/** Any number of codes a row: those of row r are `items` from `offsets[r]` to `offsets[r + 1]`. Indices into `texts`, from 0. */
export interface ListColumn extends Texts {
  readonly type: 'lists';
  readonly offsets: Codes;
  readonly items: Codes;
}

/** Any number of numbers a row: those of row r are `values` from `offsets[r]` to `offsets[r + 1]`. */
export interface NumberListColumn {
  readonly type: 'numberLists';
  readonly offsets: Codes;
  readonly values: Numbers;
}

/** Bytes of one width a row, one after the other. */
export interface ByteColumn {
  readonly type: 'bytes';
  readonly width: number;
  readonly values: Uint8Array;
}

export type Column = NumberColumn | CodeColumn | ListColumn | NumberListColumn | ByteColumn;

/** Rows of one subject and stretch of time, column by column. It never changes once it is made. */
export interface Segment {
  readonly rows: number;
  /** The names of all columns. */
  readonly names: readonly string[];
  /** A column by its name; undefined when no row has a value in it. Reading one may unpack it. */
  column(name: string): Column | undefined;
}

/** A segment of columns that are in memory. */
export function segmentOf(rows: number, columns: ReadonlyMap<string, Column>): Segment {
  return { rows, names: [...columns.keys()], column: (name) => columns.get(name) };
}

const NO_TEXTS: readonly string[] = [];

/** The values of a number column; NaN for each row when it is absent. */
export function numbersOf(segment: Segment, name: string): Numbers {
  const column = segment.column(name);
  return column?.type === 'numbers' ? column.values : new Float64Array(segment.rows).fill(Number.NaN);
}

/** A code column; without values when it is absent. */
export function codesOf(segment: Segment, name: string): CodeColumn {
  const column = segment.column(name);
  return column?.type === 'codes' ? column : { type: 'codes', values: new Uint32Array(segment.rows), texts: NO_TEXTS };
}

/** A list column; empty lists when it is absent. */
export function listsOf(segment: Segment, name: string): ListColumn {
  const column = segment.column(name);
  if (column?.type === 'lists') return column;
  return { type: 'lists', offsets: new Uint32Array(segment.rows + 1), items: new Uint32Array(0), texts: NO_TEXTS };
}

/** A column of number lists; empty lists when it is absent. */
export function numberListsOf(segment: Segment, name: string): NumberListColumn {
  const column = segment.column(name);
  if (column?.type === 'numberLists') return column;
  return { type: 'numberLists', offsets: new Uint32Array(segment.rows + 1), values: new Float64Array(0) };
}

/** The bytes of a row as lower-case hex. */
export function hexAt({ width, values }: ByteColumn, row: number): string {
  let text = '';
  for (let at = row * width; at < (row + 1) * width; at++) text += HEX[values[at]];
  return text;
}

const HEX = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, '0'));
