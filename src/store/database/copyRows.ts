import type pg from 'pg';
import type { VarintWriter } from '../../core/measures/varint.ts';

export type Cell = string | number | bigint | boolean | null | Uint8Array | readonly (string | number)[];

/** Rows on their way into a table. */
export interface Copy {
  readonly table: string;
  readonly columns: readonly string[];
  /** In PostgreSQL's COPY format: lines of text, or binary, see `binaryRows`. */
  readonly rows: string | Buffer;
}

/** Rows for a table, each a list of cells in the order of the columns. */
export function copyOf(table: string, columns: readonly string[], rows: readonly (readonly Cell[])[]): Copy {
  return { table, columns, rows: rows.map(copyLine).join('') };
}

/** Adds rows to tables by COPY, to one after the other, all in one question to the database. */
export async function copyRows(client: pg.PoolClient, copies: readonly Copy[]): Promise<void> {
  const some = copies.filter(({ rows }) => rows.length > 0);
  if (some.length > 0) await client.query(new CopyQuery(some)).done;
}

const COPY_DATA = 'd'.charCodeAt(0);
const COPY_DONE = 'c'.charCodeAt(0);
/** Of a message: its kind, and four bytes for its length. */
const HEAD_BYTES = 5;

/**
 * Several COPY statements as one question, their rows right behind it. The protocol allows not to wait until the server says that it is
 * ready for each: should it refuse one, it passes over the rows that still come. So writing takes one journey to the server and back instead of two
 * for each table.
 */
class CopyQuery implements pg.Submittable {
  readonly text: string;
  readonly done: Promise<void>;
  readonly #copies: readonly Copy[];
  #resolve: () => void = () => {};
  #reject: (error: Error) => void = () => {};

  constructor(copies: readonly Copy[]) {
    this.#copies = copies;
    this.text = copies.map(statement).join('; ');
    this.done = new Promise((resolve, reject) => {
      this.#resolve = resolve;
      this.#reject = reject;
    });
  }

  submit(connection: pg.Connection): void {
    const { stream } = connection;
    stream.cork();
    connection.query(this.text);
    stream.write(messages(this.#copies));
    stream.uncork();
  }

  handleCopyInResponse(): void {}

  handleCommandComplete(): void {}

  handleReadyForQuery(): void {
    this.#resolve();
  }

  handleError(error: Error): void {
    this.#reject(error);
  }
}

function statement({ table, columns, rows }: Copy): string {
  const names = columns.map((name) => `"${name}"`).join(', ');
  return `COPY ${table} (${names}) FROM STDIN${typeof rows === 'string' ? '' : ' (FORMAT binary)'}`;
}

/** The messages with the rows: for each table one with all of them, and one that says that they were all. */
function messages(copies: readonly Copy[]): Buffer {
  const lengths = copies.map(({ rows }) => (typeof rows === 'string' ? Buffer.byteLength(rows) : rows.length));
  const bytes = Buffer.allocUnsafe(lengths.reduce((sum, length) => sum + length + 2 * HEAD_BYTES, 0));
  let at = 0;
  const head = (kind: number, length: number) => {
    at = bytes.writeUInt8(kind, at);
    at = bytes.writeUInt32BE(length + 4, at);
  };
  for (const [index, { rows }] of copies.entries()) {
    head(COPY_DATA, lengths[index]);
    at += typeof rows === 'string' ? bytes.write(rows, at) : rows.copy(bytes, at);
    head(COPY_DONE, 0);
  }
  return bytes;
}

/** What PostgreSQL's binary COPY format begins with: no flags, nothing else at its head. */
const SIGNATURE = Buffer.from('PGCOPY\n\xff\r\n\0\0\0\0\0\0\0\0\0', 'latin1');
/** A row of so many cells is the end. */
const NO_MORE = -1;

/** A cell of PostgreSQL's binary COPY format: an int, a bigint, or a bytea. */
export type BinaryCell = { readonly int: number } | { readonly bigint: bigint } | Uint8Array;

/** Rows in PostgreSQL's binary COPY format. */
export function binaryRows(rows: readonly (readonly BinaryCell[])[]): Buffer {
  const sizeOf = (cell: BinaryCell) => (cell instanceof Uint8Array ? cell.length : 'int' in cell ? 4 : 8);
  const size = rows.reduce((sum, row) => sum + 2 + row.reduce((cells, cell) => cells + 4 + sizeOf(cell), 0), 0);
  const bytes = Buffer.allocUnsafe(SIGNATURE.length + size + 2);
  let at = SIGNATURE.copy(bytes);
  for (const row of rows) {
    at = bytes.writeInt16BE(row.length, at);
    for (const cell of row) {
      at = bytes.writeInt32BE(sizeOf(cell), at);
      if (cell instanceof Uint8Array) {
        bytes.set(cell, at);
        at += cell.length;
      } else at = 'int' in cell ? bytes.writeInt32BE(cell.int, at) : bytes.writeBigInt64BE(cell.bigint, at);
    }
  }
  bytes.writeInt16BE(NO_MORE, at);
  return bytes;
}

/** A row in PostgreSQL's COPY text format. */
export function copyLine(row: readonly Cell[]): string {
  let text = '';
  for (let column = 0; column < row.length; column++) text += (column === 0 ? '' : '\t') + cellText(row[column]);
  return `${text}\n`;
}

/** A cell in PostgreSQL's COPY text format. */
export function cellText(cell: Cell): string {
  if (cell === null) return '\\N';
  if (typeof cell === 'string') return escaped(cell);
  if (cell instanceof Uint8Array) return `\\\\x${Buffer.from(cell.buffer, cell.byteOffset, cell.length).toString('hex')}`;
  if (typeof cell === 'object') return escaped(`{${cell.map(element).join(',')}}`);
  return String(cell);
}

/** What was written, in hex. */
export function hexOf({ bytes, length }: VarintWriter): string {
  return Buffer.from(bytes.buffer, 0, length).toString('hex');
}

function element(value: string | number): string {
  return typeof value === 'number' ? String(value) : `"${value.replace(/["\\]/g, '\\$&')}"`;
}

const ESCAPES: Record<string, string> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' };

function escaped(text: string): string {
  return /[\\\t\n\r]/.test(text) ? text.replace(/[\\\t\n\r]/g, (char) => ESCAPES[char]) : text;
}
